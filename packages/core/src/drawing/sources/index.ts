import type { Kind } from "../parameter";
import { clip } from "./clip";
import { flock } from "./flock";
import { gradient } from "./gradient";
import { composition } from "./nested";
import { noise } from "./noise";
import { png } from "./png";
import { sequence } from "./sequence";
import { solid } from "./solid";
import type { Source } from "./source";
import { svg } from "./svg";

const DRAWN = { solid, gradient, noise, flock, svg, png, clip, sequence } satisfies Record<string, Source>;

export const SOURCES = { ...DRAWN, composition } satisfies Record<string, Kind>;

export type SourceKind = keyof typeof SOURCES;

/** A kind of source that is drawn as one piece. */
export type DrawnKind = keyof typeof DRAWN;

/** A source that is drawn as one piece, by its kind. */
export const sourceOf = (kind: DrawnKind): Source => DRAWN[kind];

export { NESTED_SIZES } from "./nested";
export type { Pictures, Surroundings } from "./source";
