import type { EffectKind } from "../../composition";
import { applyDirectionalBlur } from "./directionalBlur";
import { applyDisplacement } from "./displacement";
import type { ApplyEffect } from "./effect";
import { applyGaussianBlur } from "./gaussianBlur";
import { applyGlow } from "./glow";
import { applyGrade } from "./grade";
import { applyGrain } from "./grain";

/** How each kind of effect is applied. */
export const APPLY: Readonly<Record<EffectKind, ApplyEffect>> = {
  gaussianBlur: applyGaussianBlur,
  directionalBlur: applyDirectionalBlur,
  glow: applyGlow,
  grade: applyGrade,
  grain: applyGrain,
  displacement: applyDisplacement,
};
