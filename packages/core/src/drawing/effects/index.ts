import { directionalBlur } from "./directionalBlur";
import { displacement } from "./displacement";
import type { Effect } from "./effect";
import { gaussianBlur } from "./gaussianBlur";
import { glow } from "./glow";
import { grade } from "./grade";
import { grain } from "./grain";

export const EFFECTS = { gaussianBlur, directionalBlur, glow, grade, grain, displacement } satisfies Record<
  string,
  Effect
>;

export type EffectKind = keyof typeof EFFECTS;

/** An effect by its kind. */
export const effectOf = (kind: EffectKind): Effect => EFFECTS[kind];

export { INVISIBLE } from "./effect";
