import {
  existsSync,
  lstatSync,
  mkdirSync,
  readdirSync,
  realpathSync,
  renameSync,
  rmSync,
  symlinkSync,
  unlinkSync,
} from "node:fs";
import path from "node:path";
import { setTimeout as sleep } from "node:timers/promises";
import { differences, look, NAMES_OF_OURS, setUnread, writeOld } from "../testing/untouched";
import { bindFolder, unmountDrive } from "../testing/mounts";
import { mounts } from "../packages/server/src/files/mounts";
import type { Measure } from "./figure";
import { pick, randomFrom, type Random } from "./random";
import { Server, withFolder } from "./server";

const MINUTES = 5;
const JOBS = ["Flyway 101", "Flyway 102", "Flyway 103"];

/** Caches of other programs, as far as they are not there. */
function fillTree(root: string, round: number): void {
  for (const job of JOBS) {
    for (let part = 0; part < 3; part++)
      for (let file = 0; file < 4; file++) writeOld(path.join(root, job, `frames/part ${part}/${file}.exr`), "x");
    for (let file = 0; file < 20; file++) writeOld(path.join(root, job, `logs/${round % 3} ${file}.log`), "x");
  }
}

/** Files that nothing may touch, under the very names that the application would look for. */
function makeOutside(outside: string): void {
  fillTree(outside, 0);
  const names = ["batch.jsonl", "0/0", "0/1", "owner", "sequence.json", "frames.txt", "index.bin", "settings.json"];
  for (const name of [...names, "gathered.json", "media/a.mov", "night-roost/x.pam", "1.gone/x", "moving/x", "still/x"])
    writeOld(path.join(outside, name), `original ${name}`);
  writeOld(path.join(outside, "kinetocache-location.json"), '{"id":"outside"}');
}

/** Puts links and mounts to a folder outside in the place of folders, and takes them away again. */
class Exchanger {
  private isOn = false;
  private running: Promise<void> = Promise.resolve();
  exchanges = 0;
  mounts = 0;

  constructor(
    private readonly roots: readonly string[],
    private readonly outside: string,
    private readonly random: Random,
    private readonly canMount: boolean,
  ) {}

  start(): void {
    // Two at once would go through each other's links.
    if (this.isOn) return;
    this.isOn = true;
    this.running = this.run();
  }

  async stop(): Promise<void> {
    this.isOn = false;
    await this.running;
  }

  private async run(): Promise<void> {
    while (this.isOn) {
      const folder = this.choose();
      if (folder !== undefined && this.canMount && this.random(30) === 0) await this.mount(folder);
      else if (folder !== undefined) await this.exchange(folder);
      await sleep(this.random(4));
    }
  }

  /** A folder some way down from one of the roots. */
  private choose(): string | undefined {
    let at = pick(this.random, this.roots);
    if (isLink(at)) return undefined;
    for (let steps = this.random(5); ; steps--) {
      let inside: string[];
      try {
        inside = readdirSync(at, { withFileTypes: true }).flatMap((one) => (one.isDirectory() ? [one.name] : []));
      } catch {
        return undefined;
      }
      if (inside.length === 0) return undefined;
      at = path.join(at, pick(this.random, inside));
      if (steps <= 0) return at;
    }
  }

  private async exchange(folder: string): Promise<void> {
    const aside = `${folder}~`;
    try {
      renameSync(folder, aside);
    } catch {
      // It went meanwhile.
      return;
    }
    this.exchanges++;
    try {
      symlinkSync(this.random(2) === 0 ? this.outside : path.join(this.outside, pick(this.random, JOBS)), folder);
      await sleep(this.random(5));
    } catch {
      // Something else took its name.
    }
    if (isLink(folder)) unlinkSync(folder);
    try {
      renameSync(aside, folder);
    } catch {
      // Something else took its name, or it was moved; either is for the application to live with.
    }
  }

  private async mount(folder: string): Promise<void> {
    if (!bindFolder(this.outside, folder)) return;
    this.mounts++;
    await sleep(this.random(30));
    unmountAll(this.outside);
  }
}

/** Where a folder is mounted once more. */
function mountedOf(outside: string): string[] {
  const below = path.dirname(path.dirname(outside));
  return mounts()
    .map(({ point }) => point)
    .filter((point) => point.startsWith(`${below}/`));
}

/** Takes the outside off wherever it is mounted: what it is mounted in may be moved at the same time. */
function unmountAll(outside: string): void {
  for (let points = mountedOf(outside); points.length > 0; points = mountedOf(outside))
    for (const point of points) unmountDrive(point);
}

/** Puts links at names that the application uses, where nothing has them. @returns what to take away */
function plant(folder: string, names: readonly string[], outside: string, random: Random): string[] {
  return names.flatMap((name) => {
    const at = path.join(folder, name);
    try {
      // Not through a link that was put there just now.
      if (random(3) > 0 || realpathSync(path.dirname(at)) !== path.dirname(at)) return [];
      if (lstatSync(at, { throwIfNoEntry: false })) return [];
      symlinkSync(path.join(outside, pick(random, ["", "owner", JOBS[0]!, "1.gone", "gathered.json"])), at);
      return [at];
    } catch {
      // The folder is not there yet.
      return [];
    }
  });
}

function takeAway(links: readonly string[]): void {
  for (const link of links) if (isLink(link)) unlinkSync(link);
}

function isLink(file: string): boolean {
  try {
    return lstatSync(file).isSymbolicLink();
  } catch {
    return false;
  }
}

/** Takes away links that were moved. */
function removeLinks(folder: string): void {
  if (!existsSync(folder)) return;
  for (const entry of readdirSync(folder, { withFileTypes: true })) {
    const at = path.join(folder, entry.name);
    if (entry.isSymbolicLink()) unlinkSync(at);
    else if (entry.isDirectory()) removeLinks(at);
  }
}

/**
 * Does at random what the application does with folders, while others exchange them for links, mount the outside in
 * them and put links at all names that are its own: what is then changed, made, removed or read outside.
 */
export const unsafeActs: Measure = () =>
  withFolder(async (folder) => {
    const random = randomFrom(20_261_127);
    const at = (name: string) => path.join(folder, name);
    for (const name of ["data", "root", "projects", "far"]) mkdirSync(at(name));
    const outside = at("far/outside");
    makeOutside(outside);
    writeOld(at("projects/a.mov"), "media of the job");
    const project = { format: "kinetocache-project", version: 1, name: "Flyway 101", media: [{ path: "a.mov" }] };
    writeOld(at("projects/Flyway 101.project.json"), JSON.stringify(project));
    mkdirSync(at("mountable"));
    const canMount = bindFolder(outside, at("mountable"));
    if (canMount) unmountDrive(at("mountable"));

    const unsafe: string[] = [];
    const done: Record<string, number> = {};
    const refused: Record<string, number> = {};
    const endMs = performance.now() + MINUTES * 60_000;
    const exchanger = new Exchanger([at("root"), at("location"), at("data/volume")], outside, random, canMount);
    for (let round = 0; performance.now() < endMs; round++) {
      fillTree(at("root"), round);
      setUnread(outside);
      const before = look(outside);
      const target = at(`gathered ${round}`);
      const links = [
        ...plant(at("data"), NAMES_OF_OURS.data, outside, random),
        ...plant(at("root"), NAMES_OF_OURS.root, outside, random),
        ...plant(at("location"), NAMES_OF_OURS.location, outside, random),
        ...plant(at("data/volume"), NAMES_OF_OURS.location, outside, random),
      ];
      if (random(2) === 0) exchanger.start();
      await actAll(
        { folder, target, outside, random, done, refused },
        Math.min(endMs, performance.now() + 12_000),
        () => {
          takeAway(links);
          exchanger.start();
        },
      );
      await exchanger.stop();
      takeAway(links);
      unmountAll(outside);
      for (const name of ["root", "location", "data"]) removeLinks(at(name));
      const found = differences(before, look(outside));
      for (const one of found) console.error(`round ${round}: ${one}`);
      unsafe.push(...found);
      // What was exchanged and moved at once is nobody's.
      for (const name of ["root", "location"]) if (round % 4 === 3) rmSync(at(name), { recursive: true, force: true });
      mkdirSync(at("root"), { recursive: true });
      rmSync(target, { recursive: true, force: true });
    }
    const { exchanges, mounts } = exchanger;
    return {
      value: unsafe.length,
      unit: "changed, made, removed or read outside",
      limit: "0",
      exchanges,
      mounts,
      done,
      refused,
    };
  });

interface Scene {
  readonly folder: string;
  readonly target: string;
  readonly outside: string;
  readonly random: Random;
  readonly done: Record<string, number>;
  readonly refused: Record<string, number>;
}

interface Listed {
  readonly id: string;
  readonly folder: string;
}

/** @param started called when the server has come up, or could not */
async function actAll(scene: Scene, endMs: number, started: () => void): Promise<void> {
  const { folder, target, outside, random, done, refused } = scene;
  const at = (name: string) => path.join(folder, name);
  let server: Server;
  try {
    server = await Server.start(at("data"));
  } catch {
    // A link in the way of its own folders keeps it from starting.
    refused.start = (refused.start ?? 0) + 1;
    started();
    return;
  }
  done.start = (done.start ?? 0) + 1;
  const attempt = async <T>(what: string, work: () => Promise<T>): Promise<T | undefined> => {
    try {
      const result = await work();
      done[what] = (done[what] ?? 0) + 1;
      return result;
    } catch {
      refused[what] = (refused[what] ?? 0) + 1;
      return undefined;
    }
  };
  const send = (target: string, method: string, body: unknown) => server.request(target, method, JSON.stringify(body));
  try {
    const known = (await server.ask<Listed[]>("folders")).find((one) => one.folder === at("root"));
    const id =
      known?.id ??
      (
        await attempt("register", () =>
          server.ask<Listed>("folders", "POST", { folder: at("root"), projects: [at("projects")] }),
        )
      )?.id;
    const location = (await attempt("location", () =>
      send("locations", "POST", { folder: at("location"), holds: "frames" }),
    )) as Listed | undefined;
    let serial = 0;
    started();
    const acts: Record<string, () => Promise<unknown>> = {
      scan: () => server.ask(`folders/${id}/scan`, "POST", { fresh: random(2) === 0 }),
      hold: () => {
        const job = pick(random, JOBS);
        const ids = [`${job}/frames`, ...Array.from({ length: 20 }, (_, n) => `${job}/logs/${random(3)} ${n}.log`)];
        return server.ask("holds", "POST", { selection: [{ place: id, ids }] });
      },
      restore: () => onBatch("restore"),
      empty: () => onBatch("empty"),
      store: async () => {
        for (let n = 0; n < 10; n++) {
          const key = (random(40) + 1).toString(16).padStart(32, "0");
          const place = random(2) === 0 ? "main" : (location?.id ?? "main");
          const query = "owner=night-roost&format=pam&costMs=5";
          await server.request(`locations/${place}/frames/${key}?${query}`, "PUT", new Uint8Array(300_000));
        }
      },
      read: async () => {
        for (let n = 1; n < 10; n++)
          await server.request(`frames/${n.toString(16).padStart(32, "0")}`).catch(() => undefined);
      },
      holdFrames: () => {
        const ids = Array.from({ length: 20 }, (_, n) => (n + 1).toString(16).padStart(32, "0"));
        return server.ask("holds", "POST", { selection: [{ place: "main", ids }] });
      },
      evict: () => send("locations/main", "PUT", { capBytes: (16 + random(3)) * 2 ** 20, mayRemove: true }),
      sequence: async () => {
        const described = { name: "Sky", kind: "bake", width: 2, height: 2, rate: { numerator: 24, denominator: 1 } };
        const rest = { depth: "8-bit", fileFormat: "qoi", frames: 2, gaps: [], about: "", location: "main" };
        const made = (await send("sequences", "POST", { ...described, ...rest })) as Listed;
        await server.request(`sequences/${made.id}/frames/0?key=`, "PUT", new Uint8Array(100)).catch(() => undefined);
        await server.request(`sequences/${made.id}`, "DELETE");
      },
      wrap: async () => {
        const file = at("projects/Flyway 101.project.json");
        await server.ask("wrap", "POST", { file, target: `${target} ${serial++}`, sweeps: random(2) === 0 });
      },
      relink: async () => {
        const gathered = `${target} ${random(serial + 1)}`;
        if (existsSync(gathered)) takenAway.push(...plant(gathered, NAMES_OF_OURS.gathered, outside, random));
        await server.ask("gathered", "POST", { folder: gathered });
        await server.ask("gathered/relink", "POST", { folder: gathered, from: at("projects") });
      },
    };
    const takenAway: string[] = [];
    const onBatch = async (what: string) => {
      const batches = await server.ask<{ id: string }[]>("holds");
      if (batches.length > 0) await server.ask(`holds/${pick(random, batches).id}/${what}`, "POST", {});
    };
    const names = Object.keys(acts);
    while (performance.now() < endMs) {
      const [first, second] = [pick(random, names), pick(random, names)];
      await Promise.all([attempt(first, acts[first]!), attempt(second, acts[second]!)]);
    }
    takeAway(takenAway);
    if (random(2) === 0 && id !== undefined) await attempt("unregister", () => server.ask(`folders/${id}`, "DELETE"));
    if (random(2) === 0 && location)
      await attempt("remove", () => server.request(`locations/${location.id}`, "DELETE"));
  } finally {
    for (let n = 0; existsSync(`${target} ${n}`); n++) rmSync(`${target} ${n}`, { recursive: true, force: true });
    if (random(2) === 0) server.child.kill("SIGTERM");
    await sleep(random(300));
    await server.kill();
  }
}
