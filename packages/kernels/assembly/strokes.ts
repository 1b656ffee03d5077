/**
 * Draws `count` round-capped strokes over dst. A stroke is 6 f32: x0, y0, x1, y1, half width, opacity.
 * Coverage is the distance to the segment, one pixel soft. (r, g, b) is a straight linear colour.
 */
export function strokes(dst: usize, w: i32, h: i32, list: usize, count: i32, r: f32, g: f32, b: f32): void {
  let colour = f32x4.splat(1);
  colour = f32x4.replace_lane(colour, 0, r);
  colour = f32x4.replace_lane(colour, 1, g);
  colour = f32x4.replace_lane(colour, 2, b);
  const one = f32x4.splat(1);
  for (let i = 0; i < count; i++) {
    const s = list + <usize>i * 24;
    const x0 = load<f32>(s);
    const y0 = load<f32>(s, 4);
    const x1 = load<f32>(s, 8);
    const y1 = load<f32>(s, 12);
    const half = load<f32>(s, 16);
    const opacity = load<f32>(s, 20);
    const reach = half + 1;
    const left = max<i32>(0, <i32>floor<f32>(min<f32>(x0, x1) - reach));
    const right = min<i32>(w, <i32>ceil<f32>(max<f32>(x0, x1) + reach));
    const top = max<i32>(0, <i32>floor<f32>(min<f32>(y0, y1) - reach));
    const bottom = min<i32>(h, <i32>ceil<f32>(max<f32>(y0, y1) + reach));
    const ex = x1 - x0;
    const ey = y1 - y0;
    const inverse: f32 = 1 / max<f32>(1e-12, ex * ex + ey * ey);
    for (let y = top; y < bottom; y++) {
      const py = <f32>y + 0.5 - y0;
      for (let x = left; x < right; x++) {
        const px = <f32>x + 0.5 - x0;
        const t = min<f32>(1, max<f32>(0, (px * ex + py * ey) * inverse));
        const dx = px - t * ex;
        const dy = py - t * ey;
        const coverage = min<f32>(1, max<f32>(0, half + 0.5 - sqrt<f32>(dx * dx + dy * dy))) * opacity;
        if (coverage <= 0) continue;
        const p = dst + ((<usize>(y * w + x)) << 4);
        const c = f32x4.splat(coverage);
        const under = f32x4.mul(v128.load(p), f32x4.sub(one, c));
        v128.store(p, f32x4.add(f32x4.mul(colour, c), under));
      }
    }
  }
}
