// Every raster is rows of RGBA float32 pixels without padding: one pixel is one v128, 16 bytes.

/** First byte of linear memory that the kernels do not use themselves. */
export function heapBase(): usize {
  return __heap_base;
}

/** Sets `count` pixels at `dst` to one colour. */
export function fill(dst: usize, count: i32, r: f32, g: f32, b: f32, a: f32): void {
  const pixel = f32x4(0, 0, 0, 0);
  let v = f32x4.replace_lane(pixel, 0, r);
  v = f32x4.replace_lane(v, 1, g);
  v = f32x4.replace_lane(v, 2, b);
  v = f32x4.replace_lane(v, 3, a);
  const end = dst + ((<usize>count) << 4);
  for (let p = dst; p < end; p += 16) v128.store(p, v);
}

/** Copies `rows` runs of `rowPixels` pixels between rasters of different widths (strides in pixels). */
export function copyRows(dst: usize, dstStride: i32, src: usize, srcStride: i32, rowPixels: i32, rows: i32): void {
  const bytes = (<usize>rowPixels) << 4;
  for (let y = 0; y < rows; y++) {
    memory.copy(dst + (<usize>y * <usize>dstStride << 4), src + (<usize>y * <usize>srcStride << 4), bytes);
  }
}

/** Averages 2×2 blocks; dst is ⌈w/2⌉ × ⌈h/2⌉, the last column or row repeats at an odd edge. */
export function halve(dst: usize, src: usize, w: i32, h: i32): void {
  const dw = (w + 1) >> 1;
  const dh = (h + 1) >> 1;
  const quarter = f32x4.splat(0.25);
  const stride = (<usize>w) << 4;
  let out = dst;
  for (let y = 0; y < dh; y++) {
    const top = src + <usize>(y << 1) * stride;
    const bottom = (y << 1) + 1 < h ? top + stride : top;
    for (let x = 0; x < dw; x++) {
      const left = (<usize>x) << 5;
      const right = (x << 1) + 1 < w ? left + 16 : left;
      const upper = f32x4.add(v128.load(top + left), v128.load(top + right));
      const lower = f32x4.add(v128.load(bottom + left), v128.load(bottom + right));
      v128.store(out, f32x4.mul(f32x4.add(upper, lower), quarter));
      out += 16;
    }
  }
}

// @ts-ignore: decorator
@inline
function pixelOrClear(src: usize, w: i32, h: i32, x: i32, y: i32): v128 {
  if (<u32>x >= <u32>w || <u32>y >= <u32>h) return f32x4.splat(0);
  return v128.load(src + ((<usize>(y * w + x)) << 4));
}

/** Bilinear sample at pixel coordinates (0.5 is the centre of the first pixel); transparent outside. */
// @ts-ignore: decorator
@inline
export function sampleClear(src: usize, w: i32, h: i32, x: f32, y: f32): v128 {
  const u = x - 0.5;
  const v = y - 0.5;
  const fx = floor<f32>(u);
  const fy = floor<f32>(v);
  const ix = <i32>fx;
  const iy = <i32>fy;
  if (ix < -1 || iy < -1 || ix >= w || iy >= h) return f32x4.splat(0);
  const tx = f32x4.splat(u - fx);
  const ty = f32x4.splat(v - fy);
  let a: v128, b: v128, c: v128, d: v128;
  if (ix >= 0 && iy >= 0 && ix + 1 < w && iy + 1 < h) {
    const p = src + ((<usize>(iy * w + ix)) << 4);
    const q = p + ((<usize>w) << 4);
    a = v128.load(p);
    b = v128.load(p, 16);
    c = v128.load(q);
    d = v128.load(q, 16);
  } else {
    a = pixelOrClear(src, w, h, ix, iy);
    b = pixelOrClear(src, w, h, ix + 1, iy);
    c = pixelOrClear(src, w, h, ix, iy + 1);
    d = pixelOrClear(src, w, h, ix + 1, iy + 1);
  }
  const top = f32x4.add(a, f32x4.mul(f32x4.sub(b, a), tx));
  const bottom = f32x4.add(c, f32x4.mul(f32x4.sub(d, c), tx));
  return f32x4.add(top, f32x4.mul(f32x4.sub(bottom, top), ty));
}

/**
 * Resamples src into dst: dst pixel centre (x, y) reads src at
 * (m0·x + m1·y + m2, m3·x + m4·y + m5), both in their own pixel coordinates. Rows from `top` to before `bottom`.
 */
export function affine(
  dst: usize, dw: i32, src: usize, sw: i32, sh: i32,
  m0: f32, m1: f32, m2: f32, m3: f32, m4: f32, m5: f32, top: i32, bottom: i32,
): void {
  const stride = (<usize>sw) << 4;
  let out = dst + ((<usize>top * <usize>dw) << 4);
  for (let y = top; y < bottom; y++) {
    const cy = <f32>y + 0.5;
    const rowX = m1 * cy + m2 - 0.5;
    const rowY = m4 * cy + m5 - 0.5;
    // Between first and last every sample and its neighbours lie inside src: no bounds to check there.
    const first = max<i32>(spanStart(m0, rowX, <f32>(sw - 2)), spanStart(m3, rowY, <f32>(sh - 2)));
    const last = min<i32>(dw, min<i32>(spanEnd(m0, rowX, <f32>(sw - 2)), spanEnd(m3, rowY, <f32>(sh - 2))));
    for (let x = 0; x < dw; x++) {
      if (x == first) {
        for (; x < last; x++) {
          const cx = <f32>x + 0.5;
          const u = m0 * cx + rowX;
          const v = m3 * cx + rowY;
          const ix = <i32>u;
          const iy = <i32>v;
          const tx = f32x4.splat(u - <f32>ix);
          const ty = f32x4.splat(v - <f32>iy);
          const p = src + <usize>iy * stride + ((<usize>ix) << 4);
          const a = v128.load(p);
          const c = v128.load(p + stride);
          const upper = f32x4.add(a, f32x4.mul(f32x4.sub(v128.load(p, 16), a), tx));
          const lower = f32x4.add(c, f32x4.mul(f32x4.sub(v128.load(p + stride, 16), c), tx));
          v128.store(out, f32x4.add(upper, f32x4.mul(f32x4.sub(lower, upper), ty)));
          out += 16;
        }
        if (x >= dw) break;
      }
      const cx = <f32>x + 0.5;
      v128.store(out, sampleClear(src, sw, sh, m0 * cx + rowX + 0.5, m3 * cx + rowY + 0.5));
      out += 16;
    }
  }
}

// Columns where 0.01 ≤ slope · (x + 0.5) + start ≤ limit; the margin covers rounding.
const MARGIN: f32 = 0.01;

// @ts-ignore: decorator
@inline
function spanStart(slope: f32, start: f32, limit: f32): i32 {
  if (slope == 0) return start >= 0 && start <= limit ? 0 : i32.MAX_VALUE;
  const edge = slope > 0 ? (MARGIN - start) / slope : (limit - start) / slope;
  return <i32>max<f32>(0, min<f32>(1e6, ceil<f32>(edge - 0.5 + MARGIN)));
}

// @ts-ignore: decorator
@inline
function spanEnd(slope: f32, start: f32, limit: f32): i32 {
  if (slope == 0) return start >= 0 && start <= limit ? i32.MAX_VALUE : 0;
  const edge = slope > 0 ? (limit - start) / slope : (MARGIN - start) / slope;
  return <i32>max<f32>(0, min<f32>(1e6, floor<f32>(edge - 0.5 - MARGIN)));
}

// @ts-ignore: decorator
@inline
function firstFilled(row: usize, from: i32, to: i32): i32 {
  for (let x = from; x < to; x++) if (v128.any_true(v128.load(row + ((<usize>x) << 4)))) return x;
  return to;
}

/**
 * Finds the smallest rectangle of src that holds every pixel that is not empty, and writes its left, top, right
 * and bottom edge to `out` as i32 (the far ones not included); all 0 when there is none.
 */
export function contentBounds(src: usize, w: i32, h: i32, out: usize): void {
  let left = w;
  let right = 0;
  let top = h;
  let bottom = 0;
  for (let y = 0; y < h; y++) {
    const row = src + ((<usize>y * <usize>w) << 4);
    const first = firstFilled(row, 0, w);
    if (first == w) continue;
    if (y < top) top = y;
    bottom = y + 1;
    if (first < left) left = first;
    let last = w;
    while (last > right && !v128.any_true(v128.load(row + ((<usize>(last - 1)) << 4)))) last--;
    if (last > right) right = last;
  }
  store<i32>(out, bottom == 0 ? 0 : left);
  store<i32>(out, bottom == 0 ? 0 : top, 4);
  store<i32>(out, right, 8);
  store<i32>(out, bottom, 12);
}
