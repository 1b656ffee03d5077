import { exp2x4, log2x4 } from "./power";

/**
 * Colour grade in place on straight colour: multiply by (gr, gg, gb), which holds exposure and balance;
 * contrast as a power about `pivot`; saturation about Rec. 709 luma; then premultiply again.
 */
export function grade(
  dst: usize, src: usize, count: i32, gr: f32, gg: f32, gb: f32, contrast: f32, pivot: f32, saturation: f32,
): void {
  let gain = f32x4.splat(1);
  gain = f32x4.replace_lane(gain, 0, gr);
  gain = f32x4.replace_lane(gain, 1, gg);
  gain = f32x4.replace_lane(gain, 2, gb);
  const weights = f32x4(0.2126, 0.7152, 0.0722, 0);
  const zero = f32x4.splat(0);
  const tiny = f32x4.splat(1e-12);
  const c = f32x4.splat(contrast);
  // pivot · (x / pivot)^c = 2^(c · log₂ x + (1 − c) · log₂ pivot)
  const offset = f32x4.mul(f32x4.splat(1 - contrast), log2x4(f32x4.splat(pivot)));
  const sat = f32x4.splat(saturation);
  const curved = contrast != 1;
  for (let i = 0; i < count; i++) {
    const p = src + ((<usize>i) << 4);
    const v = v128.load(p);
    const alpha = f32x4.extract_lane(v, 3);
    const q = dst + ((<usize>i) << 4);
    if (alpha <= 0) {
      v128.store(q, v);
      continue;
    }
    let colour = alpha == 1 ? v : f32x4.div(v, f32x4.splat(alpha));
    colour = f32x4.pmax(zero, f32x4.mul(colour, gain));
    if (curved) {
      const lit = f32x4.gt(colour, tiny);
      const power = exp2x4(f32x4.add(f32x4.mul(c, log2x4(f32x4.pmax(colour, tiny))), offset));
      colour = v128.and(power, lit);
    }
    const weighted = f32x4.mul(colour, weights);
    const luma = f32x4.splat(
      f32x4.extract_lane(weighted, 0) + f32x4.extract_lane(weighted, 1) + f32x4.extract_lane(weighted, 2),
    );
    colour = f32x4.pmax(zero, f32x4.add(luma, f32x4.mul(sat, f32x4.sub(colour, luma))));
    colour = f32x4.mul(colour, f32x4.splat(alpha));
    v128.store(q, f32x4.replace_lane(colour, 3, alpha));
  }
}
