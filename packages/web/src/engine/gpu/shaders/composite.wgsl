// Blend modes on premultiplied linear pixels, after the separable formulas of the W3C Compositing and Blending
// recommendation. The area is w × h pixels; dst and src have strides and start at an offset, in pixels.
struct Params { w: i32, h: i32, dstStride: i32, dstAt: i32, srcStride: i32, srcAt: i32, mode: u32, opacity: f32 }

fn blend(s: vec4f, d: vec4f, mode: u32) -> vec4f {
  if (mode == 0) { return s + d * (1 - s.a); }
  if (mode == 1) { return vec4f(s.rgb + d.rgb, min(1, s.a + d.a)); }
  if (mode == 3) { return s + d - s * d; }
  let rest = s * (1 - d.a) + d * (1 - s.a);
  if (mode == 2) { return s * d + rest; }
  if (mode == 5) { return min(s * d.a, d * s.a) + rest; }
  if (mode == 6) { return max(s * d.a, d * s.a) + rest; }
  let dark = 2 * s * d;
  let light = s.a * d.a - 2 * (d.a - d) * (s.a - s);
  return select(light, dark, 2 * d <= vec4f(d.a)) + rest;
}

fn draw(x: i32, y: i32, here: i32) {
  let s = src[p.srcAt + y * p.srcStride + x];
  // Most of a lettering or a flock is empty, and leaves what is below as it is in every mode.
  if (all(s == vec4f(0))) { return; }
  let at = p.dstAt + y * p.dstStride + x;
  dst[at] = blend(s * p.opacity, dst[at], p.mode);
}
