import path from "node:path";
import {
  DEFAULT_SWEEP_SETTINGS,
  emptiesAtMs,
  LONGEST_HOLDING_DAYS,
  type Milliseconds,
  type SweepSettings,
} from "@kinetocache/core";
import Joi from "joi";
import { JsonFile } from "../files/jsonFile";
import type { Locations } from "../volumes/locations";

export const sweepSettingsSchema = Joi.object<SweepSettings>({
  emptyAfterDays: Joi.number().integer().min(1).max(LONGEST_HOLDING_DAYS).allow(null).required(),
});

const EVERY_MS = 60_000;
// A clock that was set wrong, or jumps, empties nothing at once: a batch goes when it has been due for so long.
const GRACE_MS = 10 * 60_000;

export interface Clock {
  /** Milliseconds since the epoch; may jump. */
  readonly now: () => number;
  /** Only ever goes on. */
  readonly uptime: () => Milliseconds;
}

const REAL_CLOCK: Clock = { now: () => Date.now(), uptime: () => performance.now() };

/** Empties holding by itself when its time is over. */
export class Emptying {
  /** By batch: since when it is due, in uptime. */
  private readonly due = new Map<string, Milliseconds>();
  private timer: ReturnType<typeof setInterval> | undefined;
  private checking: Promise<void> = Promise.resolve();

  private constructor(
    private readonly locations: Locations,
    private readonly file: JsonFile<SweepSettings>,
    private readonly clock: Clock,
  ) {}

  /** @param data folder of the server's data */
  static async open(data: string, locations: Locations, clock = REAL_CLOCK): Promise<Emptying> {
    const file = await JsonFile.open(path.join(data, "sweep.json"), sweepSettingsSchema, DEFAULT_SWEEP_SETTINGS);
    return new Emptying(locations, file, clock);
  }

  get settings(): SweepSettings {
    return this.file.value;
  }

  async change(settings: SweepSettings): Promise<void> {
    await this.file.replace(settings);
    this.due.clear();
  }

  start(): void {
    this.timer = setInterval(() => {
      this.checking = this.check().catch((error: unknown) => {
        console.error("Holding could not be emptied:", error);
      });
    }, EVERY_MS);
    this.timer.unref();
  }

  async close(): Promise<void> {
    clearInterval(this.timer);
    await this.checking;
  }

  /** Empties what has been due long enough. */
  async check(): Promise<void> {
    const [now, uptime] = [this.clock.now(), this.clock.uptime()];
    for (const { holding } of this.locations.open()) {
      for (const { id, sweptMs } of holding.list()) {
        const at = emptiesAtMs(sweptMs, this.settings);
        if (at === undefined || at > now) {
          this.due.delete(id);
          continue;
        }
        const since = this.due.get(id) ?? uptime;
        this.due.set(id, since);
        if (uptime - since < GRACE_MS) continue;
        this.due.delete(id);
        await holding.empty(id);
      }
    }
  }
}
