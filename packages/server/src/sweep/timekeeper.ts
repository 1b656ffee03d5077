import path from "node:path";
import {
  emptiesInMs,
  LONGEST_HOLDING_DAYS,
  runsAtMs,
  type Milliseconds,
  type PlacedBatch,
  type WaitingBatch,
} from "@kinetocache/core";
import Joi from "joi";
import PQueue from "p-queue";
import { JsonFile } from "../files/jsonFile";
import { realClock, type Clock } from "../machine/clock";
import type { Sweeper } from "./sweeper";

const EVERY_MS = 60_000;
// A clock that was set wrong, or jumps, sets off nothing at once: what is due happens when it has been due for so long.
const GRACE_MS = 10 * 60_000;
const RULES = "rules";

/** How long batches were seen to wait. */
interface Ages {
  /** When that was noted: in which run of the machine, and how long after its start. */
  readonly boot: string;
  readonly uptimeMs: Milliseconds;
  /** The same in milliseconds since the epoch, by whatever clock there was. */
  readonly seenMs: number;
  /** When the newest of the user's files was written, as of then. */
  readonly newestMs: number;
  /** By batch. */
  readonly waitedMs: Readonly<Record<string, Milliseconds>>;
}

const agesSchema = Joi.object<Ages>({
  boot: Joi.string().allow("").required(),
  uptimeMs: Joi.number().required(),
  seenMs: Joi.number().required(),
  newestMs: Joi.number().required(),
  waitedMs: Joi.object().pattern(Joi.string(), Joi.number().min(0)).required(),
});
const FORGOTTEN_MS = 2 * LONGEST_HOLDING_DAYS * 24 * 3600 * 1000;

interface Runs {
  /** When the rules ran last by themselves, or were first seen switched on. */
  readonly rulesMs?: number;
}

/** Empties holding and runs the rules when their time has come. */
export class Timekeeper {
  /** By batch, or for the rules: since when it is due, in uptime. */
  private readonly due = new Map<string, Milliseconds>();
  private timer: ReturnType<typeof setInterval> | undefined;
  private readonly checks = new PQueue({ concurrency: 1 });

  private constructor(
    private readonly sweeper: Sweeper,
    private readonly runs: JsonFile<Runs>,
    private readonly ages: JsonFile<Ages>,
    private readonly clock: Clock,
  ) {}

  /** @param data folder of the server's data */
  static async open(data: string, sweeper: Sweeper, clock = realClock()): Promise<Timekeeper> {
    const runs = await JsonFile.open(
      path.join(data, "sweep-runs.json"),
      { format: "kinetocache-sweep-runs", version: 1 },
      Joi.object<Runs>({ rulesMs: Joi.number() }),
      {},
    );
    const ages = await JsonFile.open(
      path.join(data, "sweep-ages.json"),
      { format: "kinetocache-sweep-ages", version: 1 },
      agesSchema,
      { boot: "", uptimeMs: 0, seenMs: 0, newestMs: 0, waitedMs: {} },
    );
    return new Timekeeper(sweeper, runs, ages, clock);
  }

  /** Batches, each with how long it was seen to wait. */
  withAges(batches: readonly PlacedBatch[]): WaitingBatch[] {
    return batches.map((batch) => ({ ...batch, waitedMs: this.ages.value.waitedMs[batch.id] ?? 0 }));
  }

  /** When the rules run next by themselves, in milliseconds since the epoch. */
  get rulesAtMs(): number | undefined {
    const { rulesMs } = this.runs.value;
    const hourOf = (ms: number) => new Date(ms).getHours();
    return rulesMs === undefined ? undefined : runsAtMs(this.sweeper.preferences.settings.timetable, rulesMs, hourOf);
  }

  /** Starts counting anew after the settings changed. */
  async settingsChanged(): Promise<void> {
    this.due.clear();
    await this.runs.replace(this.sweeper.preferences.settings.timetable.on ? { rulesMs: this.clock.now() } : {});
  }

  start(): void {
    this.begin(() => this.sweeper.holdings.finishInterrupted());
    this.timer = setInterval(() => this.begin(() => this.check()), EVERY_MS);
    this.timer.unref();
  }

  /** One after the other: what takes longer than a minute is not done twice. */
  private begin(work: () => Promise<void>): void {
    this.checks.add(work).catch((error: unknown) => {
      console.error("What was due in sweeping could not be done:", error);
    });
  }

  async close(): Promise<void> {
    clearInterval(this.timer);
    await this.checks.onIdle();
  }

  /** Does what has been due long enough. */
  async check(): Promise<void> {
    const batches = await this.sweeper.holdings.holds();
    await this.grow(batches);
    for (const { id, waitedMs } of this.withAges(batches)) {
      const leftMs = emptiesInMs(waitedMs, this.sweeper.preferences.settings);
      if (!this.isTime(id, leftMs === 0)) continue;
      // One that cannot be emptied keeps none of the others.
      await this.sweeper.holdings
        .empty(id, "its days were over")
        .catch((error: unknown) => console.error(`${id} could not be emptied:`, error));
    }
    const atMs = this.rulesAtMs;
    if (!this.isTime(RULES, atMs !== undefined && atMs <= this.clock.now())) return;
    await this.runs.replace({ rulesMs: this.clock.now() });
    await this.sweeper.runTimetable();
  }

  /**
   * Lets batches grow older by the time that was seen to pass: while the machine runs that is its uptime. Of the time
   * that it did not run the clock alone proves nothing, as it may have been set meanwhile: no more counts than the
   * user's files have grown newer.
   */
  private async grow(batches: readonly PlacedBatch[]): Promise<void> {
    const before = this.ages.value;
    if (batches.length === 0 && Object.keys(before.waitedMs).length === 0) return;
    const [seenMs, uptimeMs, newestMs] = [this.clock.now(), this.clock.uptime(), this.clock.newestFileMs()];
    const { boot } = this.clock;
    const newerMs = newestMs - Math.max(before.newestMs, before.seenMs);
    const passedMs =
      before.boot === boot
        ? Math.max(0, uptimeMs - before.uptimeMs)
        : Math.max(0, Math.min(seenMs - before.seenMs, newerMs));
    const older = Object.entries(before.waitedMs).map(([id, ms]) => [id, ms + passedMs] as const);
    const ages = new Map([
      ...batches.map(({ id }) => [id, 0] as const),
      ...older.filter(([, ms]) => ms < FORGOTTEN_MS),
    ]);
    await this.ages.replace({ boot, uptimeMs, seenMs, newestMs, waitedMs: Object.fromEntries(ages) });
  }

  /** Whether it is time for something, and has been for a while. */
  private isTime(what: string, isDue: boolean): boolean {
    const uptimeMs = this.clock.uptime();
    if (!isDue) {
      this.due.delete(what);
      return false;
    }
    const since = this.due.get(what) ?? uptimeMs;
    this.due.set(what, since);
    if (uptimeMs - since < GRACE_MS) return false;
    this.due.delete(what);
    return true;
  }
}
