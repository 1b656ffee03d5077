/** An extended box filter: weight 1 for |offset| ≤ radius, `alpha` at radius + 1. */
export interface Box {
  readonly radius: number;
  readonly alpha: number;
}

const PASSES = 3;

/**
 * The extended box whose threefold application has a standard deviation of `sigma` pixels.
 * Source: Gwosdek, Grewenig, Bruhn, Weickert, "Theoretical foundations of Gaussian convolution by extended
 * box filtering" (2011): with v = σ²/3, r = ⌊(√(12v + 1) − 1) / 2⌋ and
 * alpha = (2r + 1)(r(r + 1) − 3v) / (6(v − (r + 1)²)).
 */
export function boxForSigma(sigma: number): Box {
  const v = (sigma * sigma) / PASSES;
  const radius = Math.floor((Math.sqrt(12 * v + 1) - 1) / 2);
  const alpha = ((2 * radius + 1) * (radius * (radius + 1) - 3 * v)) / (6 * (v - (radius + 1) ** 2));
  return { radius, alpha };
}

/** Blur radius as shown to the user to standard deviation: two standard deviations lie within the radius. */
export function sigmaOfRadius(radius: number): number {
  return radius / 2;
}

/** How far three passes of the box reach. */
export function boxReach(box: Box): number {
  return PASSES * (box.radius + 1);
}
