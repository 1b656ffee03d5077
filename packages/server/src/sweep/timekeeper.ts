import path from "node:path";
import { emptiesAtMs, runsAtMs, type Milliseconds } from "@kinetocache/core";
import Joi from "joi";
import { JsonFile } from "../files/jsonFile";
import type { Sweeper } from "./sweeper";

const EVERY_MS = 60_000;
// A clock that was set wrong, or jumps, sets off nothing at once: what is due happens when it has been due for so long.
const GRACE_MS = 10 * 60_000;
const RULES = "rules";

export interface Clock {
  /** Milliseconds since the epoch; may jump. */
  readonly now: () => number;
  /** Only ever goes on. */
  readonly uptime: () => Milliseconds;
}

const REAL_CLOCK: Clock = { now: () => Date.now(), uptime: () => performance.now() };

interface Runs {
  /** When the rules ran last by themselves, or were first seen switched on. */
  readonly rulesMs?: number;
}

/** Empties holding and runs the rules when their time has come. */
export class Timekeeper {
  /** By batch, or for the rules: since when it is due, in uptime. */
  private readonly due = new Map<string, Milliseconds>();
  private timer: ReturnType<typeof setInterval> | undefined;
  private checking: Promise<void> = Promise.resolve();

  private constructor(
    private readonly sweeper: Sweeper,
    private readonly runs: JsonFile<Runs>,
    private readonly clock: Clock,
  ) {}

  /** @param data folder of the server's data */
  static async open(data: string, sweeper: Sweeper, clock = REAL_CLOCK): Promise<Timekeeper> {
    const schema = Joi.object<Runs>({ rulesMs: Joi.number() });
    return new Timekeeper(
      sweeper,
      await JsonFile.open(
        path.join(data, "sweep-runs.json"),
        { format: "kinetocache-sweep-runs", version: 1 },
        schema,
        {},
      ),
      clock,
    );
  }

  /** When the rules run next by themselves, in milliseconds since the epoch. */
  get rulesAtMs(): number | undefined {
    const { rulesMs } = this.runs.value;
    const hourOf = (ms: number) => new Date(ms).getHours();
    return rulesMs === undefined ? undefined : runsAtMs(this.sweeper.settings.timetable, rulesMs, hourOf);
  }

  /** Starts counting anew after the settings changed. */
  async settingsChanged(): Promise<void> {
    this.due.clear();
    await this.runs.replace(this.sweeper.settings.timetable.on ? { rulesMs: this.clock.now() } : {});
  }

  start(): void {
    this.timer = setInterval(() => {
      this.checking = this.check().catch((error: unknown) => {
        console.error("What was due in sweeping could not be done:", error);
      });
    }, EVERY_MS);
    this.timer.unref();
  }

  async close(): Promise<void> {
    clearInterval(this.timer);
    await this.checking;
  }

  /** Does what has been due long enough. */
  async check(): Promise<void> {
    for (const { id, sweptMs } of await this.sweeper.holds())
      if (this.isTime(id, emptiesAtMs(sweptMs, this.sweeper.settings)))
        await this.sweeper.empty(id, "its days were over");
    if (!this.isTime(RULES, this.rulesAtMs)) return;
    await this.runs.replace({ rulesMs: this.clock.now() });
    await this.sweeper.runTimetable();
  }

  /** Whether it is time for something, and has been for a while. */
  private isTime(what: string, atMs: number | undefined): boolean {
    const uptime = this.clock.uptime();
    if (atMs === undefined || atMs > this.clock.now()) {
      this.due.delete(what);
      return false;
    }
    const since = this.due.get(what) ?? uptime;
    this.due.set(what, since);
    if (uptime - since < GRACE_MS) return false;
    this.due.delete(what);
    return true;
  }
}
