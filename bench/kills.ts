import { mkdirSync, readdirSync, readFileSync, writeFileSync } from "node:fs";
import path from "node:path";
import { contentOf, writeOld } from "../testing/untouched";
import { DRIVE_FAULTS, FaultyDrive } from "./faultyDrive";
import type { Figure, Measure } from "./figure";
import { Server, withFolder } from "./server";

const KILLS = 300;
// As many servers are killed at the same time.
const LANES = 2;
// Every so many kills take the server itself, the others only the process that has the folders, which starts sooner.
const WHOLE_EACH = 4;
const FILES = 1000;
// As many items lie in one folder of holding.
const SHELF = 250;

type Action = "hold" | "restore" | "empty";

/**
 * The server, or its process that has the folders, killed at odd instants of sweeping, bringing back and emptying, every
 * other time with a fault of the drive before that; what of the files is then wrong.
 */
export const killTest: Measure = async () => {
  const lanes = Array.from({ length: LANES }, (_, lane) =>
    withFolder(async (folder) => {
      const drive = FaultyDrive.on(folder);
      try {
        const killed = new Killed(folder, drive, lane + 1);
        await killed.kill(KILLS / LANES);
        return killed.counts;
      } finally {
        drive?.remove();
      }
    }),
  );
  const all = await Promise.all(lanes);
  const sumOf = (name: keyof Killed["counts"]) => all.reduce((sum, counts) => sum + counts[name], 0);
  const names = Object.keys(all[0]!) as (keyof Killed["counts"])[];
  return {
    value: sumOf("lost") + sumOf("doubled") + sumOf("altered") + sumOf("outside"),
    unit: "files lost, doubled, altered, or touched outside",
    limit: "0",
    kills: KILLS,
    // None of the faults where no drive may be mounted.
    ...(Object.fromEntries(names.map((name) => [name, sumOf(name)])) as Partial<Figure>),
  };
};

/** A server that is killed again and again, and the folder that it sweeps. */
class Killed {
  readonly counts = {
    lost: 0,
    doubled: 0,
    altered: 0,
    outside: 0,
    "interrupted hold": 0,
    "interrupted restore": 0,
    "interrupted empty": 0,
    "drive full": 0,
    "drive read-only": 0,
    "drive gone": 0,
    "fault at the start": 0,
  };
  private readonly data: string;
  private readonly root: string;
  private readonly outside: string;
  /** By name: what is in it. Every file has content of its own. */
  private wanted = new Map<string, string>();
  /** What is being emptied. */
  private going = new Set<string>();
  /** What each takes when it is left alone, as far as is known: the instant of a kill is somewhere in it. */
  private readonly lasts: Record<Action, number> = { hold: 100, restore: 100, empty: 100 };

  constructor(
    folder: string,
    private readonly drive: FaultyDrive | undefined,
    private random: number,
  ) {
    this.data = path.join(folder, "data");
    this.root = drive?.folder("caches") ?? path.join(folder, "caches");
    this.outside = path.join(folder, "outside");
    for (const place of [this.root, this.outside]) mkdirSync(place, { recursive: true });
    writeFileSync(path.join(this.outside, "x.log"), "not to be touched");
  }

  private next(below: number): number {
    this.random = (this.random * 1_103_515_245 + 12_345) % 2 ** 31;
    // The lower digits repeat themselves soon.
    return Math.floor(this.random / 2 ** 8) % below;
  }

  async kill(times: number): Promise<void> {
    let server: Server | undefined;
    let id: string | undefined;
    try {
      for (let time = 0; ; time++) {
        // Whatever it was at is settled by the next start.
        server ??= await Server.start(this.data);
        this.drive?.heal();
        id ??= await server.register(this.root);
        // A folder that was not there is looked for again.
        await server.scan(id, true);
        const { batches, held } = await holdingOf(server, this.root);
        this.compare([...filesIn(this.root), ...held]);
        if (time === times) return;
        if (this.wanted.size === 0) {
          this.fillAgain(time);
          await server.scan(id, true);
        }
        await this.interrupt(server, id, batches, held, time % WHOLE_EACH === 0);
        if (time % WHOLE_EACH === 0) server = undefined;
        else await answers(server);
        // Or the next start has it as well.
        if (this.next(2) === 0) this.drive?.heal();
        else if (this.drive?.isFailing) this.counts["fault at the start"]++;
      }
    } finally {
      await server?.kill();
    }
  }

  /** Begins to act, and kills it in the middle of that. */
  private async interrupt(
    server: Server,
    id: string,
    batches: readonly string[],
    held: readonly Held[],
    isWhole: boolean,
  ): Promise<void> {
    const names = filesIn(this.root).map(([name]) => name);
    const holds = batches.length === 0 || (names.length > 0 && this.next(3) === 0);
    const action: Action = holds ? "hold" : this.next(3) === 0 ? "empty" : "restore";
    const emptied = action === "empty" ? held.filter(([, , batch]) => batch === batches[0]) : [];
    this.going = new Set(emptied.map(([name]) => name));
    const start = performance.now();
    const ask =
      action === "hold"
        ? server.ask("holds", "POST", { selection: [{ place: id, ids: names }] })
        : server.ask(`holds/${batches[0]}/${action}`, "POST", {});
    const took = ask.then(
      () => performance.now() - start,
      () => undefined,
    );
    const fault = this.drive && this.next(2) === 0 ? DRIVE_FAULTS[this.next(DRIVE_FAULTS.length)]! : undefined;
    if (fault) {
      await sleep(this.next(this.lasts[action]));
      if (this.drive!.fail(fault)) this.counts[`drive ${fault}`]++;
    }
    await sleep(this.next(this.lasts[action]));
    await (isWhole ? server.kill() : server.killStarted());
    const tookMs = await took;
    if (tookMs === undefined) this.counts[`interrupted ${action}`]++;
    else if (!fault) this.lasts[action] = Math.ceil(tookMs);
  }

  private fillAgain(round: number): void {
    for (let n = 0; n < FILES; n++) {
      const name = `${round} ${n}.log`;
      const content = `content of ${name}`;
      writeOld(path.join(this.root, name), content);
      this.wanted.set(name, content);
    }
  }

  /** Compares what is there with what has to be. */
  private compare(files: readonly (readonly [string, string, ...string[]])[]): void {
    const found = new Map<string, number>();
    for (const [name, content] of files) {
      found.set(name, (found.get(name) ?? 0) + 1);
      if (this.wanted.get(name) !== content) this.counts.altered++;
    }
    for (const count of found.values()) if (count > 1) this.counts.doubled++;
    const gone = [...this.wanted.keys()].filter((name) => !found.has(name));
    this.counts.lost += gone.filter((name) => !this.going.has(name)).length;
    for (const name of gone) this.wanted.delete(name);
    const isTouched = readFileSync(path.join(this.outside, "x.log"), "utf8") !== "not to be touched";
    if (readdirSync(this.outside).length !== 1 || isTouched) this.counts.outside++;
  }
}

const sleep = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms));

/** Waits until the server knows that its process ended, and has another. */
async function answers(server: Server): Promise<void> {
  while (!(await server.ask("folders").catch(() => undefined))) await sleep(20);
}

function filesIn(root: string): [string, string][] {
  return readdirSync(root)
    .filter((name) => name.endsWith(".log"))
    .map((name) => [name, contentOf(path.join(root, name)).toString()]);
}

type Held = readonly [name: string, content: string, batch: string];

/** Batches in holding, and the files in them. */
async function holdingOf(server: Server, root: string) {
  const batches = (await server.ask<{ id: string }[]>("holds")).map(({ id }) => id);
  const held: Held[] = [];
  for (const id of batches)
    for (const { number, path: name } of await server.ask<{ number: number; path: string }[]>(`holds/${id}/items`)) {
      const file = path.join(root, ".kinetocache-holding", id, String(Math.floor(number / SHELF)), String(number));
      held.push([name, contentOf(file).toString(), id]);
    }
  return { batches, held };
}
