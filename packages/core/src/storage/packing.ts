import type { Bytes } from "../machine";
import type { Milliseconds, Rate } from "../composition";
import { requiredReadBack } from "../machine";
import { READ_HEADROOM } from "./drive";
import type { Packing } from "./location";

/** What one way of storing frames was measured to do on the present composition. */
export interface FormatTrial {
  readonly location: string;
  readonly packing: Packing;
  readonly frames: number;
  /** Pixels of one frame in memory, and what it takes on disk. */
  readonly pixelBytes: Bytes;
  readonly storedBytes: Bytes;
  /** Through the whole path, packing and unpacking included: bytes of pixels a second. */
  readonly writeRate: number;
  readonly readRate: number;
  /** The same in each round, in which forms were read by turns; `readRate` is their median. */
  readonly readRates: readonly number[];
}

/** What a format means for a composition at a location. */
export interface FormatVerdict extends FormatTrial {
  /** Seconds of the composition that fit below the cap. */
  readonly seconds: number;
  readonly realTime: boolean;
}

/** @param pixelBytes of a frame of the composition @param roomBytes below the cap */
export function judgeFormat(trial: FormatTrial, rate: Rate, roomBytes: Bytes): FormatVerdict {
  const frames = Math.floor(roomBytes / trial.storedBytes);
  return {
    ...trial,
    seconds: (frames * rate.denominator) / rate.numerator,
    realTime: trial.readRate >= READ_HEADROOM * requiredReadBack(trial.pixelBytes, rate),
  };
}

/** Of two forms that were read by turns, the one that came back sooner each time; undefined where that is noise. */
export function soonerForm(plain: FormatTrial, packed: FormatTrial): "plain" | "packed" | undefined {
  const isAhead = (one: FormatTrial, other: FormatTrial) =>
    one.readRates.every((rate, round) => rate > (other.readRates[round] ?? Infinity));
  if (isAhead(packed, plain)) return "packed";
  return isAhead(plain, packed) ? "plain" : undefined;
}

/** What automatic packing keeps once both were measured: what comes back sooner, or else what takes less room. */
export function formToKeep(plain: FormatTrial, packed: FormatTrial): "plain" | "packed" {
  return soonerForm(plain, packed) ?? (packed.storedBytes < plain.storedBytes ? "packed" : "plain");
}

/** Packing has to promise this much more than plain: what it is judged by was measured on other frames. */
const CLEARLY = 1.25;

/**
 * Whether a frame clearly reads back sooner packed than plain, given what the way to it carries and what unpacking
 * takes.
 * @param rate bytes a second of the way, packed or plain
 */
export function packsFaster(plainBytes: Bytes, packedBytes: Bytes, rate: number, unpackMs: Milliseconds): boolean {
  return CLEARLY * ((packedBytes * 1000) / rate + unpackMs) < (plainBytes * 1000) / rate;
}
