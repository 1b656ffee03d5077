import { framesPerSecond, type Rate } from "./rate";

/** Frame rates by the names that they go by; some of them are not what the name says. */
export const NAMED_RATES: Readonly<Record<string, Rate>> = {
  "23.976": { numerator: 24_000, denominator: 1001 },
  "24": { numerator: 24, denominator: 1 },
  "25": { numerator: 25, denominator: 1 },
  "29.97": { numerator: 30_000, denominator: 1001 },
  "30": { numerator: 30, denominator: 1 },
  "48": { numerator: 48, denominator: 1 },
  "50": { numerator: 50, denominator: 1 },
  "59.94": { numerator: 60_000, denominator: 1001 },
  "60": { numerator: 60, denominator: 1 },
};

/** A rate as it is shown: its name, or to three decimals. */
export function rateName(rate: Rate): string {
  const isSame = (other: Rate) => rate.numerator * other.denominator === other.numerator * rate.denominator;
  const named = Object.entries(NAMED_RATES).find(([, other]) => isSame(other));
  return named ? named[0] : String(Number(framesPerSecond(rate).toFixed(3)));
}

// How far a measured rate may be from a named one that is meant.
const NEAR = 2e-4;

/**
 * The exact rate that is meant by a measured one.
 * @returns undefined for what is not from 1 to 240 frames per second
 */
export function rateNear(speed: number): Rate | undefined {
  if (!(speed >= 1 && speed <= MOST_A_SECOND)) return undefined;
  const named = Object.values(NAMED_RATES).find((rate) => Math.abs(framesPerSecond(rate) / speed - 1) < NEAR);
  if (named) return named;
  const whole = Math.round(speed);
  return Math.abs(whole / speed - 1) < NEAR
    ? { numerator: whole, denominator: 1 }
    : { numerator: Math.round(speed * 1000), denominator: 1000 };
}

const MOST_A_SECOND = 240;
const LARGEST_TERM = 1_000_000;

/**
 * A rate as it is typed: by its name, or exactly, as `12` or `24000/1001`.
 * @returns undefined for what is no rate, or not from 1 to 240 frames per second
 */
export function parseRate(text: string): Rate | undefined {
  const typed = text.trim();
  const named = Object.hasOwn(NAMED_RATES, typed) ? NAMED_RATES[typed] : undefined;
  if (named) return named;
  const [, numerator, denominator = "1"] = /^(\d{1,7})(?:\s*\/\s*(\d{1,7}))?$/.exec(typed) ?? [];
  const rate = { numerator: Number(numerator), denominator: Number(denominator) };
  const isExact = Math.max(rate.numerator, rate.denominator) <= LARGEST_TERM && rate.denominator > 0;
  const speed = framesPerSecond(rate);
  return isExact && speed >= 1 && speed <= MOST_A_SECOND ? rate : undefined;
}

const SECONDS = { s: 1, sec: 1, second: 1, seconds: 1, min: 60, minute: 60, minutes: 60 } as const;

/**
 * A length as it is typed: as timecode (`00:00:10:00`, from the right), in frames (`240`, `240 frames`) or in time
 * (`10 s`, `1.5 min`).
 * @returns whole frames, at least one; undefined for what is no length
 */
export function parseLength(text: string, rate: Rate): number | undefined {
  const typed = text.trim().toLowerCase();
  const frames = framesOfTimecode(typed, rate) ?? framesOfAmount(typed, rate);
  return frames !== undefined && frames >= 1 ? frames : undefined;
}

/** Non-drop, counted at the nearest whole rate, as `timecode` writes it. */
function framesOfTimecode(typed: string, rate: Rate): number | undefined {
  if (!/^\d{1,4}(:\d{1,4}){1,3}$/.test(typed)) return undefined;
  const [frames = 0, seconds = 0, minutes = 0, hours = 0] = typed.split(":").map(Number).reverse();
  const base = Math.round(framesPerSecond(rate));
  if (frames >= base || seconds >= 60 || minutes >= 60) return undefined;
  return ((hours * 60 + minutes) * 60 + seconds) * base + frames;
}

function framesOfAmount(typed: string, rate: Rate): number | undefined {
  const [, amount, unit = "frames"] = /^(\d{1,9}(?:\.\d{1,9})?)\s*([a-z]+)?$/.exec(typed) ?? [];
  if (amount === undefined) return undefined;
  if (Object.hasOwn(SECONDS, unit))
    return Math.round(Number(amount) * SECONDS[unit as keyof typeof SECONDS] * framesPerSecond(rate));
  return /^(f|fr|frames?)$/.test(unit) && Number.isInteger(Number(amount)) ? Number(amount) : undefined;
}
