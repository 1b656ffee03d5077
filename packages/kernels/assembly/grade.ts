import { exp2x4, log2x4 } from "./power";

const ZERO = f32x4.splat(0);
const TINY = f32x4.splat(1e-12);

// Pixels that do not fill a block of four are graded here.
const REST: usize = memory.data(64);

/**
 * Colour grade of straight colour: multiply by (gr, gg, gb), which holds exposure and balance; contrast as a
 * power about `pivot`; saturation about Rec. 709 luma; then premultiply again. Clear pixels stay as they are.
 * `dst` may be `src`.
 */
export function grade(
  dst: usize, src: usize, count: i32, gr: f32, gg: f32, gb: f32, contrast: f32, pivot: f32, saturation: f32,
): void {
  // pivot · (x / pivot)^c = 2^(c · log₂ x + (1 − c) · log₂ pivot)
  const offset = f32x4.mul(f32x4.splat(1 - contrast), log2x4(f32x4.splat(pivot)));
  const whole = count & ~3;
  for (let i = 0; i < whole; i += 4) {
    const at = (<usize>i) << 4;
    gradeFour(dst + at, src + at, gr, gg, gb, contrast, offset, saturation);
  }
  const rest = <usize>(count - whole) << 4;
  if (rest == 0) return;
  const at = (<usize>whole) << 4;
  memory.copy(REST, src + at, rest);
  gradeFour(REST, REST, gr, gg, gb, contrast, offset, saturation);
  memory.copy(dst + at, REST, rest);
}

/** Four pixels at once, one channel a vector: three powers for four pixels, and none waits for another. */
// @ts-ignore: decorator
@inline
function gradeFour(
  dst: usize, src: usize, gr: f32, gg: f32, gb: f32, contrast: f32, offset: v128, saturation: f32,
): void {
  const p0 = v128.load(src);
  const p1 = v128.load(src, 16);
  const p2 = v128.load(src, 32);
  const p3 = v128.load(src, 48);
  const rg01 = v128.shuffle<f32>(p0, p1, 0, 4, 1, 5);
  const ba01 = v128.shuffle<f32>(p0, p1, 2, 6, 3, 7);
  const rg23 = v128.shuffle<f32>(p2, p3, 0, 4, 1, 5);
  const ba23 = v128.shuffle<f32>(p2, p3, 2, 6, 3, 7);
  const alpha = v128.shuffle<f32>(ba01, ba23, 2, 3, 6, 7);
  const seen = f32x4.gt(alpha, ZERO);
  if (!v128.any_true(seen)) {
    v128.store(dst, p0);
    v128.store(dst, p1, 16);
    v128.store(dst, p2, 32);
    v128.store(dst, p3, 48);
    return;
  }
  // Clear pixels are divided by one instead, and put back at the end.
  const divisor = v128.bitselect(alpha, f32x4.splat(1), seen);
  let r = lit(v128.shuffle<f32>(rg01, rg23, 0, 1, 4, 5), divisor, gr);
  let g = lit(v128.shuffle<f32>(rg01, rg23, 2, 3, 6, 7), divisor, gg);
  let b = lit(v128.shuffle<f32>(ba01, ba23, 0, 1, 4, 5), divisor, gb);
  if (contrast != 1) {
    const c = f32x4.splat(contrast);
    r = curved(r, c, offset);
    g = curved(g, c, offset);
    b = curved(b, c, offset);
  }
  const luma = f32x4.add(
    f32x4.add(f32x4.mul(r, f32x4.splat(0.2126)), f32x4.mul(g, f32x4.splat(0.7152))),
    f32x4.mul(b, f32x4.splat(0.0722)),
  );
  const sat = f32x4.splat(saturation);
  r = saturated(r, luma, sat, alpha);
  g = saturated(g, luma, sat, alpha);
  b = saturated(b, luma, sat, alpha);
  const outRg01 = v128.shuffle<f32>(r, g, 0, 4, 1, 5);
  const outBa01 = v128.shuffle<f32>(b, alpha, 0, 4, 1, 5);
  const outRg23 = v128.shuffle<f32>(r, g, 2, 6, 3, 7);
  const outBa23 = v128.shuffle<f32>(b, alpha, 2, 6, 3, 7);
  v128.store(dst, kept(v128.shuffle<f32>(outRg01, outBa01, 0, 1, 4, 5), p0));
  v128.store(dst, kept(v128.shuffle<f32>(outRg01, outBa01, 2, 3, 6, 7), p1), 16);
  v128.store(dst, kept(v128.shuffle<f32>(outRg23, outBa23, 0, 1, 4, 5), p2), 32);
  v128.store(dst, kept(v128.shuffle<f32>(outRg23, outBa23, 2, 3, 6, 7), p3), 48);
}

// @ts-ignore: decorator
@inline
function lit(channel: v128, divisor: v128, gain: f32): v128 {
  return f32x4.pmax(ZERO, f32x4.mul(f32x4.div(channel, divisor), f32x4.splat(gain)));
}

// @ts-ignore: decorator
@inline
function curved(channel: v128, contrast: v128, offset: v128): v128 {
  const power = exp2x4(f32x4.add(f32x4.mul(contrast, log2x4(f32x4.pmax(channel, TINY))), offset));
  return v128.and(power, f32x4.gt(channel, TINY));
}

// @ts-ignore: decorator
@inline
function saturated(channel: v128, luma: v128, saturation: v128, alpha: v128): v128 {
  const mixed = f32x4.add(luma, f32x4.mul(saturation, f32x4.sub(channel, luma)));
  return f32x4.mul(f32x4.pmax(ZERO, mixed), alpha);
}

/** The graded pixel, or the one before where that is clear. */
// @ts-ignore: decorator
@inline
function kept(graded: v128, before: v128): v128 {
  return f32x4.extract_lane(before, 3) > 0 ? graded : before;
}
