import type { SourceNode } from "../../graph";
import { drawClip } from "./clip";
import { drawFlock } from "./flock";
import { drawGradient } from "./gradient";
import { drawNoise } from "./noise";
import { drawPng } from "./png";
import { drawSequence } from "./sequence";
import { drawSolid } from "./solid";
import type { DrawSource } from "./source";
import { drawSvg } from "./svg";

/** How each kind of source is drawn. */
export const DRAW: Readonly<Record<SourceNode["kind"], DrawSource>> = {
  solid: drawSolid,
  gradient: drawGradient,
  noise: drawNoise,
  flock: drawFlock,
  svg: drawSvg,
  png: drawPng,
  clip: drawClip,
  sequence: drawSequence,
};

export type { Media, SourceEnvironment, SvgAsset } from "./source";
