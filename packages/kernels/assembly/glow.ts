import { sampleClear } from "./raster";

/**
 * Halves src (2×2 mean) and keeps what is brighter than `threshold`: each pixel is scaled by
 * max(0, luma − threshold) / luma (Rec. 709 luma of the premultiplied colour). dst is ⌈w/2⌉ × ⌈h/2⌉.
 */
export function brightPass(dst: usize, src: usize, w: i32, h: i32, threshold: f32): void {
  const dw = (w + 1) >> 1;
  const dh = (h + 1) >> 1;
  const quarter = f32x4.splat(0.25);
  const weights = f32x4(0.2126, 0.7152, 0.0722, 0);
  const stride = (<usize>w) << 4;
  let out = dst;
  for (let y = 0; y < dh; y++) {
    const top = src + <usize>(y << 1) * stride;
    const bottom = (y << 1) + 1 < h ? top + stride : top;
    for (let x = 0; x < dw; x++) {
      const left = (<usize>x) << 5;
      const right = (x << 1) + 1 < w ? left + 16 : left;
      const mean = f32x4.mul(
        f32x4.add(
          f32x4.add(v128.load(top + left), v128.load(top + right)),
          f32x4.add(v128.load(bottom + left), v128.load(bottom + right)),
        ),
        quarter,
      );
      const weighted = f32x4.mul(mean, weights);
      const luma = f32x4.extract_lane(weighted, 0) + f32x4.extract_lane(weighted, 1) + f32x4.extract_lane(weighted, 2);
      const keep: f32 = luma > threshold ? (luma - threshold) / luma : 0;
      v128.store(out, f32x4.mul(mean, f32x4.splat(keep)));
      out += 16;
    }
  }
}

/**
 * dst += gain · light, where light is a half-size raster whose origin lies at (originX, originY) in full-size
 * dst pixels, read bilinearly. Alpha is added too and capped at 1, so that a glow reaches past its layer.
 */
export function addUpsampled(
  dst: usize, dw: i32, dh: i32, light: usize, lw: i32, lh: i32, originX: f32, originY: f32, gain: f32,
): void {
  const g = f32x4.splat(gain);
  let out = dst;
  for (let y = 0; y < dh; y++) {
    const ly = (<f32>y + 0.5 - originY) * 0.5;
    for (let x = 0; x < dw; x++) {
      const lx = (<f32>x + 0.5 - originX) * 0.5;
      const sum = f32x4.add(v128.load(out), f32x4.mul(g, sampleClear(light, lw, lh, lx, ly)));
      v128.store(out, f32x4.replace_lane(sum, 3, min<f32>(1, f32x4.extract_lane(sum, 3))));
      out += 16;
    }
  }
}
