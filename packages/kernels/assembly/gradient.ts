// Gradients read a table of premultiplied pixels, `size` entries from position 0 to 1, with linear blending
// between entries.

// @ts-ignore: decorator
@inline
function lookUp(table: usize, size: i32, t: f32): v128 {
  const position = min<f32>(1, max<f32>(0, t)) * <f32>(size - 1);
  const index = min<i32>(<i32>position, size - 2);
  const p = table + ((<usize>index) << 4);
  const a = v128.load(p);
  const b = v128.load(p, 16);
  return f32x4.add(a, f32x4.mul(f32x4.sub(b, a), f32x4.splat(position - <f32>index)));
}

/** t = column · ux + row · uy + t0 at pixel centres. */
export function linearGradient(
  dst: usize, w: i32, ux: f32, uy: f32, t0: f32, table: usize, size: i32, top: i32, bottom: i32,
): void {
  let out = dst + ((<usize>top * <usize>w) << 4);
  for (let y = top; y < bottom; y++) {
    const base = (<f32>y + 0.5) * uy + t0;
    for (let x = 0; x < w; x++) {
      v128.store(out, lookUp(table, size, (<f32>x + 0.5) * ux + base));
      out += 16;
    }
  }
}

/** t = distance from (cx, cy) over `radius`. */
export function radialGradient(
  dst: usize, w: i32, cx: f32, cy: f32, radius: f32, table: usize, size: i32, top: i32, bottom: i32,
): void {
  const inverse: f32 = 1 / radius;
  let out = dst + ((<usize>top * <usize>w) << 4);
  for (let y = top; y < bottom; y++) {
    const dy = <f32>y + 0.5 - cy;
    for (let x = 0; x < w; x++) {
      const dx = <f32>x + 0.5 - cx;
      v128.store(out, lookUp(table, size, sqrt<f32>(dx * dx + dy * dy) * inverse));
      out += 16;
    }
  }
}
