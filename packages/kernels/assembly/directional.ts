import { sampleClear } from "./raster";

/**
 * dst(x, y) = ½ · (src(x + dx, y + dy) + src(x − dx, y − dy)), bilinear, transparent outside src.
 * dst column 0, row 0 lies at (offsetX, offsetY) in src. Repeating it with halved steps spreads a pixel
 * into 2ⁿ evenly spaced taps along a line: a box of any length and angle in log₂ passes.
 */
export function pairAverage(
  dst: usize, dw: i32, dh: i32, src: usize, sw: i32, sh: i32,
  offsetX: i32, offsetY: i32, dx: f32, dy: f32,
): void {
  // The fraction is the same at every pixel, so the four weights of each sample are formed once and the
  // inside of the picture needs eight loads and no floor.
  const ax = floor<f32>(dx);
  const ay = floor<f32>(dy);
  const tx = dx - ax;
  const ty = dy - ay;
  const bx = floor<f32>(-dx);
  const by = floor<f32>(-dy);
  const ux = -dx - bx;
  const uy = -dy - by;
  const a00 = f32x4.splat(0.5 * (1 - tx) * (1 - ty));
  const a10 = f32x4.splat(0.5 * tx * (1 - ty));
  const a01 = f32x4.splat(0.5 * (1 - tx) * ty);
  const a11 = f32x4.splat(0.5 * tx * ty);
  const b00 = f32x4.splat(0.5 * (1 - ux) * (1 - uy));
  const b10 = f32x4.splat(0.5 * ux * (1 - uy));
  const b01 = f32x4.splat(0.5 * (1 - ux) * uy);
  const b11 = f32x4.splat(0.5 * ux * uy);
  const iax = <i32>ax, iay = <i32>ay, ibx = <i32>bx, iby = <i32>by;
  const stride = (<usize>sw) << 4;
  const half = f32x4.splat(0.5);
  // Columns for which both samples and their right neighbours lie inside src.
  const firstX = max<i32>(0, -min<i32>(iax, ibx) - offsetX);
  const lastX = min<i32>(dw, sw - 1 - max<i32>(iax, ibx) - offsetX);
  let out = dst;
  for (let y = 0; y < dh; y++) {
    const sy = y + offsetY;
    const ya = sy + iay;
    const yb = sy + iby;
    const inside = ya >= 0 && yb >= 0 && ya + 1 < sh && yb + 1 < sh;
    for (let x = 0; x < dw; x++) {
      if (inside && x == firstX && lastX > firstX) {
        let p = src + <usize>ya * stride + ((<usize>(x + offsetX + iax)) << 4);
        let q = src + <usize>yb * stride + ((<usize>(x + offsetX + ibx)) << 4);
        for (; x < lastX; x++) {
          let s = f32x4.mul(v128.load(p), a00);
          let t = f32x4.mul(v128.load(p, 16), a10);
          s = f32x4.add(s, f32x4.mul(v128.load(p + stride), a01));
          t = f32x4.add(t, f32x4.mul(v128.load(p + stride, 16), a11));
          s = f32x4.add(s, f32x4.mul(v128.load(q), b00));
          t = f32x4.add(t, f32x4.mul(v128.load(q, 16), b10));
          s = f32x4.add(s, f32x4.mul(v128.load(q + stride), b01));
          t = f32x4.add(t, f32x4.mul(v128.load(q + stride, 16), b11));
          v128.store(out, f32x4.add(s, t));
          out += 16;
          p += 16;
          q += 16;
        }
        if (x == dw) break;
      }
      const cx = <f32>(x + offsetX) + 0.5;
      const cy = <f32>sy + 0.5;
      const sum = f32x4.add(
        sampleClear(src, sw, sh, cx + dx, cy + dy),
        sampleClear(src, sw, sh, cx - dx, cy - dy),
      );
      v128.store(out, f32x4.mul(half, sum));
      out += 16;
    }
  }
}
