// A table of premultiplied pixels, read along a line (t = x · ux + y · uy + t0) or from a centre
// (t = distance from (ux, uy) · t0).
struct Params { w: i32, h: i32, size: i32, radial: u32, ux: f32, uy: f32, t0: f32 }
@group(0) @binding(3) var<storage, read> table: array<vec4f>;

fn draw(x: i32, y: i32, here: i32) {
  let at = vec2f(f32(x) + 0.5, f32(y) + 0.5);
  let along = vec2f(p.ux, p.uy);
  let t = select(dot(at, along) + p.t0, length(at - along) * p.t0, p.radial != 0);
  let position = saturate(t) * f32(p.size - 1);
  let index = min(i32(position), p.size - 2);
  dst[here] = mix(table[index], table[index + 1], position - f32(index));
}
