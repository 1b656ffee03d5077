import { createServer, type Server } from "node:http";
import type { AddressInfo } from "node:net";
import path from "node:path";
import { fileURLToPath } from "node:url";
import type { RequestHandler } from "express";
import { createApp } from "./app";
import { allDrives } from "./drives/allDrives";
import { DriveLog } from "./drives/driveLog";
import { removeLeftovers } from "./drives/driveTest";
import { REAL_MEDIUM } from "./drives/medium";
import { SimulatedDrives } from "./drives/simulatedDrive";
import { Access } from "./http/access";
import { Folder } from "./files/folder";
import { makeDataFolder } from "./files/jsonFile";
import { FolderChooser } from "./places/folderChooser";
import { PlaceRegistry } from "./places/placeRegistry";
import { Jobs } from "./jobs/jobs";
import { Live } from "./machine/live";
import { ProgramNotes } from "./machine/programNotes";
import { SimulatedMachines } from "./machine/simulated";
import { Media } from "./media/media";
import { Sweeper } from "./sweep/sweeper";
import { Timekeeper } from "./sweep/timekeeper";
import { Wrap } from "./sweep/wrap";
import { Locations } from "./volumes/locations";
import { Moves } from "./volumes/moves";
import { Workers } from "./work/workers";

export interface ServerOptions {
  /** Folder for cached frames and holding. */
  readonly data: string;
  /** 0 takes any free port. */
  readonly port: number;
  /** Whether the demo's cache folders are registered when it starts for the first time. */
  readonly demo?: boolean;
  /** Serves the interface. */
  readonly pages?: (server: Server) => Promise<readonly RequestHandler[]>;
}

export interface RunningServer {
  /** Where it is, without the secret. */
  readonly origin: string;
  /** The address that lets in. */
  readonly address: string;
  close(): Promise<void>;
}

const shipped = (folder: string) => fileURLToPath(new URL(`../../../demo/${folder}`, import.meta.url));

// A connection that a page leaves idle is kept: one that is closed just as a request arrives on it fails that request.
const KEEP_IDLE_MS = 10 * 60_000;

// Jobs that read at the same time.
const MOST_READING = 16;

/** Starts the server on the loopback address. @throws Error when the folder or the port is in use */
export async function startServer({ data: folder, port, pages, demo }: ServerOptions): Promise<RunningServer> {
  const data = await makeDataFolder(folder);
  // Earlier releases let others of the machine read it.
  await Folder.with(data, (root) => root.keepPrivate());
  const registry = new PlaceRegistry(data);
  const simulated = await SimulatedDrives.open(shipped("drives"), path.join(data, "drives"));
  const mediumOf = (folder: string) => simulated.of(folder) ?? REAL_MEDIUM;
  const locations = await Locations.open(data, mediumOf, registry);
  const jobs = new Jobs();
  const workers = new Workers();
  const readers = new Workers(MOST_READING);
  const moves = await Moves.open(data, locations, jobs);
  const log = await DriveLog.open(path.join(data, "machine"));
  const sweeper = await Sweeper.open({ data, registry, locations, simulated, log, jobs });
  const timekeeper = await Timekeeper.open(data, sweeper);
  const close = async () => {
    await timekeeper.close();
    await sweeper.close();
    await moves.close();
    await locations.close();
    await Promise.all([workers.close(), readers.close()]);
  };
  try {
    const server = createServer({ keepAliveTimeout: KEEP_IDLE_MS });
    const notes = await ProgramNotes.open(path.join(data, "machine"));
    await removeTests([...locations.folders(), ...simulated.drives].map((one) => one.folder));
    const machines = new SimulatedMachines(shipped("machines"));
    const machine = { live: new Live(notes), notes, simulated: machines };
    const drives = { log, locations, simulated };
    const folders = new FolderChooser({
      registry,
      drives: () => allDrives(locations.folders(), simulated),
      sizes: () => new Map([...locations.sizes(), ...sweeper.scanning.sizes()]),
    });
    const wrap = await Wrap.open({ data, sweeper, registry, locations, jobs, readers });
    const sweep = { sweeper, timekeeper, wrap };
    const access = await Access.open(data);
    const media = new Media(locations);
    const parts = { access, workers, locations, media, moves, sweep, jobs, machine, drives, folders };
    server.on("request", createApp({ ...parts, pages: (await pages?.(server)) ?? [] }));
    await new Promise<void>((resolve, reject) => {
      server.once("error", reject);
      server.listen(port, "127.0.0.1", resolve);
    });
    // All that answers for files on them is open now.
    await Promise.all(simulated.drives.map((drive) => drive.count()));
    timekeeper.start();
    if (demo) await sweeper.registerDemo();
    const { port: actual } = server.address() as AddressInfo;
    const origin = `http://127.0.0.1:${actual}`;
    return {
      origin,
      address: await access.announce(origin),
      async close() {
        await access.close();
        server.closeAllConnections();
        await new Promise((resolve) => server.close(resolve));
        await close();
      },
    };
  } catch (error) {
    await close();
    throw error;
  }
}

/** Removes what a killed server left of drive tests, where that can be looked at. */
async function removeTests(folders: readonly string[]): Promise<void> {
  for (const folder of folders)
    await removeLeftovers(folder).catch((error: NodeJS.ErrnoException) => {
      // Gone with its drive.
      if (error.code !== "ENOENT") console.warn(`${folder}: ${error.message}`);
    });
}
