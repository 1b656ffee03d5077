import { createServer, type Server } from "node:http";
import type { AddressInfo } from "node:net";
import path from "node:path";
import { fileURLToPath } from "node:url";
import type { RequestHandler } from "express";
import { createApp } from "./app";
import { DriveLog } from "./drives/driveLog";
import { removeLeftovers } from "./drives/driveTest";
import { Live } from "./machine/live";
import { ProgramNotes } from "./machine/programNotes";
import { SimulatedMachines } from "./machine/simulated";
import { Holding } from "./sweep/holding";
import { Volume } from "./volumes/volume";

export interface ServerOptions {
  /** Folder for cached frames and holding. */
  readonly data: string;
  /** 0 takes any free port. */
  readonly port: number;
  /** Serves the interface. */
  readonly pages?: (server: Server) => Promise<readonly RequestHandler[]>;
}

export interface RunningServer {
  readonly address: string;
  close(): Promise<void>;
}

/** Starts the server on the loopback address. @throws Error when the folder or the port is in use */
export async function startServer({ data, port, pages }: ServerOptions): Promise<RunningServer> {
  const volume = await Volume.open(path.join(data, "volume"));
  try {
    const holding = await Holding.open(volume);
    const server = createServer();
    const notes = await ProgramNotes.open(path.join(data, "machine"));
    await removeLeftovers(volume.root);
    const drives = await DriveLog.open(path.join(data, "machine"));
    const simulated = new SimulatedMachines(fileURLToPath(new URL("../../../demo/machines", import.meta.url)));
    const machine = { live: new Live(notes), notes, simulated };
    server.on("request", createApp({ volume, holding, machine, drives, pages: (await pages?.(server)) ?? [] }));
    await new Promise<void>((resolve, reject) => {
      server.once("error", reject);
      server.listen(port, "127.0.0.1", resolve);
    });
    const { port: actual } = server.address() as AddressInfo;
    return {
      address: `http://127.0.0.1:${actual}`,
      async close() {
        server.closeAllConnections();
        await new Promise((resolve) => server.close(resolve));
        await volume.close();
      },
    };
  } catch (error) {
    await volume.close();
    throw error;
  }
}
