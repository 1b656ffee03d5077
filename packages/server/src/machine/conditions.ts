import { readdirSync, readFileSync } from "node:fs";
import path from "node:path";
import type { Conditions } from "@kinetocache/core";
import { ifReadable } from "./processes";

const PAGE = 4096;

function numberIn(file: string): number | undefined {
  const text = ifReadable(() => readFileSync(file, "latin1"));
  const value = Number(text);
  return text === undefined || text.trim() === "" || !Number.isFinite(value) ? undefined : value;
}

function entries(folder: string): string[] {
  return (ifReadable(() => readdirSync(folder)) ?? []).map((name) => path.join(folder, name));
}

const highest = (values: readonly (number | undefined)[]): number | undefined => {
  const known = values.filter((value) => value !== undefined);
  return known.length > 0 ? Math.max(...known) : undefined;
};

/** Reads what slows a Linux machine down: swapping, heat, a lowered clock, the battery. */
export class ConditionsProbe {
  private last: { readonly pages: number; readonly atMs: number } | undefined;

  /** @param root where `/proc` and `/sys` are, for tests */
  constructor(private readonly root = "") {}

  read(nowMs: number): Conditions {
    return {
      swapRate: this.swapRate(nowMs),
      swapUsedBytes: this.swapUsed(),
      temperatureCelsius: this.temperature(),
      clockShare: this.clockShare(),
      onBattery: this.onBattery(),
    };
  }

  /** Bytes a second since the last reading; undefined the first time. */
  private swapRate(nowMs: number): number | undefined {
    const text = ifReadable(() => readFileSync(`${this.root}/proc/vmstat`, "latin1"));
    if (text === undefined) return undefined;
    let pages = 0;
    for (const [, count] of text.matchAll(/^pswp(?:in|out) (\d+)$/gm)) pages += Number(count);
    const before = this.last;
    this.last = { pages, atMs: nowMs };
    return before && ((pages - before.pages) * PAGE * 1000) / Math.max(1, nowMs - before.atMs);
  }

  private swapUsed(): number | undefined {
    const text = ifReadable(() => readFileSync(`${this.root}/proc/meminfo`, "latin1")) ?? "";
    const field = (name: string) => /(\d+)/.exec(new RegExp(`^${name}:.*$`, "m").exec(text)?.[0] ?? "")?.[1];
    const [total, free] = [field("SwapTotal"), field("SwapFree")];
    return total === undefined ? undefined : (Number(total) - Number(free)) * 1024;
  }

  /** The hottest processor zone. */
  private temperature(): number | undefined {
    const zones = entries(`${this.root}/sys/class/thermal`).filter((zone) => /thermal_zone\d+$/.test(zone));
    const ofProcessor = zones.filter((zone) =>
      /cpu|pkg|core/i.test(ifReadable(() => readFileSync(`${zone}/type`, "latin1")) ?? ""),
    );
    const millidegrees = highest(ofProcessor.map((zone) => numberIn(`${zone}/temp`)));
    return millidegrees === undefined ? undefined : millidegrees / 1000;
  }

  /** The core that is clocked highest, against the highest it may be. */
  private clockShare(): number | undefined {
    const cores = entries(`${this.root}/sys/devices/system/cpu`).filter((core) => /cpu\d+$/.test(core));
    return highest(
      cores.map((core) => {
        const now = numberIn(`${core}/cpufreq/scaling_cur_freq`);
        const most = numberIn(`${core}/cpufreq/cpuinfo_max_freq`);
        return now !== undefined && most ? Math.min(1, now / most) : undefined;
      }),
    );
  }

  private onBattery(): boolean | undefined {
    const supplies = entries(`${this.root}/sys/class/power_supply`);
    if (supplies.length === 0) return undefined;
    const states = supplies.map((supply) => ifReadable(() => readFileSync(`${supply}/status`, "latin1"))?.trim());
    return states.includes("Discharging");
  }
}
