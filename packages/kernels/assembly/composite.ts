// Blend modes on premultiplied linear pixels, after the separable formulas of the W3C Compositing and
// Blending recommendation, written so that the alpha lane follows from the same arithmetic.

const NORMAL = 0;
const ADD = 1;
const MULTIPLY = 2;
const SCREEN = 3;
const OVERLAY = 4;
const DARKEN = 5;
const LIGHTEN = 6;

// @ts-ignore: decorator
@inline
function blend(s: v128, d: v128, mode: i32): v128 {
  const one = f32x4.splat(1);
  const sa = i8x16.shuffle(s, s, 12, 13, 14, 15, 12, 13, 14, 15, 12, 13, 14, 15, 12, 13, 14, 15);
  if (mode == NORMAL) return f32x4.add(s, f32x4.mul(d, f32x4.sub(one, sa)));
  if (mode == SCREEN) return f32x4.sub(f32x4.add(s, d), f32x4.mul(s, d));
  if (mode == ADD) {
    const sum = f32x4.add(s, d);
    return f32x4.replace_lane(sum, 3, min<f32>(1, f32x4.extract_lane(sum, 3)));
  }
  const da = i8x16.shuffle(d, d, 12, 13, 14, 15, 12, 13, 14, 15, 12, 13, 14, 15, 12, 13, 14, 15);
  const rest = f32x4.add(f32x4.mul(s, f32x4.sub(one, da)), f32x4.mul(d, f32x4.sub(one, sa)));
  if (mode == MULTIPLY) return f32x4.add(f32x4.mul(s, d), rest);
  if (mode == DARKEN) return f32x4.add(f32x4.pmin(f32x4.mul(s, da), f32x4.mul(d, sa)), rest);
  if (mode == LIGHTEN) return f32x4.add(f32x4.pmax(f32x4.mul(s, da), f32x4.mul(d, sa)), rest);
  const two = f32x4.splat(2);
  const dark = f32x4.mul(two, f32x4.mul(s, d));
  const light = f32x4.sub(
    f32x4.mul(sa, da),
    f32x4.mul(two, f32x4.mul(f32x4.sub(da, d), f32x4.sub(sa, s))),
  );
  const isDark = f32x4.le(f32x4.mul(two, d), da);
  return f32x4.add(v128.bitselect(dark, light, isDark), rest);
}

// @ts-ignore: decorator
@inline
function row(dst: usize, src: usize, pixels: i32, opacity: v128, mode: i32): void {
  const end = dst + ((<usize>pixels) << 4);
  while (dst < end) {
    const s = v128.load(src);
    // Most of a lettering or a flock is empty, and leaves what is below as it is in every mode.
    if (v128.any_true(s)) v128.store(dst, blend(f32x4.mul(s, opacity), v128.load(dst), mode));
    dst += 16;
    src += 16;
  }
}

/** Blends `rows` runs of `rowPixels` src pixels onto dst (strides in pixels). One loop a mode, so that each is straight-line code. */
export function composite(
  dst: usize, dstStride: i32, src: usize, srcStride: i32,
  rowPixels: i32, rows: i32, opacity: f32, mode: i32,
): void {
  const o = f32x4.splat(opacity);
  const dstStep = (<usize>dstStride) << 4;
  const srcStep = (<usize>srcStride) << 4;
  for (let y = 0; y < rows; y++) {
    if (mode == NORMAL) row(dst, src, rowPixels, o, NORMAL);
    else if (mode == ADD) row(dst, src, rowPixels, o, ADD);
    else if (mode == MULTIPLY) row(dst, src, rowPixels, o, MULTIPLY);
    else if (mode == SCREEN) row(dst, src, rowPixels, o, SCREEN);
    else if (mode == OVERLAY) row(dst, src, rowPixels, o, OVERLAY);
    else if (mode == DARKEN) row(dst, src, rowPixels, o, DARKEN);
    else row(dst, src, rowPixels, o, LIGHTEN);
    dst += dstStep;
    src += srcStep;
  }
}
