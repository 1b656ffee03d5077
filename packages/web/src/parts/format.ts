import type { RenderDevice } from "@kinetocache/core";
import { format, formatDistanceStrict } from "date-fns";

/** One way to write every figure that a person reads. 1 GB is 2³⁰ bytes, as for memory modules. */

const UNITS = ["B", "kB", "MB", "GB", "TB"];

export function bytesText(bytes: number): string {
  let value = bytes;
  let unit = 0;
  while (value >= 1024 && unit < UNITS.length - 1) {
    value /= 1024;
    unit++;
  }
  const digits = unit === 0 || value >= 100 ? 0 : value >= 10 ? 1 : 2;
  return `${value.toFixed(digits)} ${UNITS[unit]}`;
}

export function msText(ms: number): string {
  return `${msNumber(ms)} ms`;
}

/** The same without its unit. */
export function msNumber(ms: number): string {
  return ms >= 100 ? ms.toFixed(0) : ms.toFixed(1);
}

/** A duration as a person would say it. */
export function durationText(ms: number): string {
  const seconds = ms / 1000;
  if (seconds < 1) return `${Math.round(ms)} ms`;
  if (seconds < 10) return `${seconds.toFixed(1)} s`;
  if (seconds < 120) return `${Math.round(seconds)} s`;
  const minutes = seconds / 60;
  if (minutes < 120) return `${Math.round(minutes)} min`;
  const hours = minutes / 60;
  return hours < 48 ? `${Math.round(hours)} h` : `${Math.round(hours / 24)} days`;
}

/** A length of preview: to a tenth of a second while that says something, then in minutes. */
export function secondsText(seconds: number): string {
  return seconds < 600 ? `${seconds.toFixed(1)} s` : `${Math.round(seconds / 60)} min`;
}

const HOUR_MS = 3_600_000;

/** How long ago something was; whole days where that is more than two. */
export function agoText(thenMs: number, nowMs: number): string {
  const ms = Math.max(0, nowMs - thenMs);
  if (ms < 60_000) return "just now";
  const unit = ms < 2 * HOUR_MS ? "minute" : ms < 48 * HOUR_MS ? "hour" : "day";
  return formatDistanceStrict(nowMs - ms, nowMs, { addSuffix: true, unit });
}

/** Day and time, for the axis of a chart. */
export function momentText(ms: number): string {
  return format(ms, "d MMM, HH:mm");
}

export function percentText(share: number): string {
  const percent = share * 100;
  // 99.6 % must not read as all of it.
  return `${percent > 99 && percent < 100 ? percent.toFixed(1) : Math.round(percent)} %`;
}

export function rateText(framesPerSecond: number): string {
  return String(Number(framesPerSecond.toFixed(framesPerSecond < 10 ? 1 : 2)));
}

/** A whole number in groups of three. The browser's own way takes 50 ms and more until it has loaded its languages. */
export function groupedText(count: number): string {
  return String(count).replace(/\B(?=(\d{3})+$)/g, ",");
}

/** So many of something whose plural ends in s. */
export function countText(count: number, what: string): string {
  return `${groupedText(count)} ${what}${count === 1 ? "" : "s"}`;
}

export function framesText(count: number): string {
  return countText(count, "frame");
}

const DEVICES: Readonly<Record<RenderDevice, string>> = {
  processor: "processor",
  "low-power": "graphics device of low power",
  "high-performance": "graphics device of high performance",
  software: "software stand-in",
};

/** What renders, where its name is not at hand. */
export function deviceText(device: RenderDevice): string {
  return DEVICES[device];
}

export function fractionText(fraction: number): string {
  return `${Math.round(fraction * 100)} %`;
}
