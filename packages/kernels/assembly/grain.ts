// @ts-ignore: decorator
@inline
function hash(h: u32): u32 {
  h = (h ^ (h >> 15)) * 0x2c1b3c6d;
  h = (h ^ (h >> 12)) * 0x297a2d39;
  return h ^ (h >> 15);
}

/**
 * Adds film-like grain: colour · (1 + amount · t), t triangular in (−1, 1) from a hash of the grain cell, so
 * black stays black and alpha is untouched. `cell` is the grain size in pixels; (originX, originY) places
 * dst in the layer.
 */
export function grain(
  dst: usize, src: usize, w: i32, h: i32, originX: i32, originY: i32, cell: f32, amount: f32, seed: u32,
): void {
  const inverse: f32 = 1 / cell;
  const scale: f32 = amount / 65536.0;
  let p = src;
  let q = dst;
  for (let y = 0; y < h; y++) {
    const cellY = <i32>floor<f32>((<f32>(y + originY) + 0.5) * inverse);
    const rowHash = hash(seed ^ (<u32>cellY * 0x9e3779b1));
    let cellX: i32 = i32.MIN_VALUE;
    let gain = f32x4.splat(1);
    for (let x = 0; x < w; x++) {
      const column = <i32>floor<f32>((<f32>(x + originX) + 0.5) * inverse);
      if (column != cellX) {
        cellX = column;
        const bits = hash(rowHash ^ (<u32>cellX * 0x85ebca6b));
        gain = f32x4.replace_lane(f32x4.splat(1 + (<f32>(bits & 0xffff) - <f32>(bits >> 16)) * scale), 3, 1);
      }
      v128.store(q, f32x4.mul(v128.load(p), gain));
      p += 16;
      q += 16;
    }
  }
}
