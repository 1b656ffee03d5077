// colour · smoothstep(low, high, noise), opaque colour.
struct Params {
  w: i32, h: i32, octaves: u32, seed: u32, x0: f32, y0: f32, stepX: f32, stepY: f32, z: f32,
  low: f32, inverse: f32, r: f32, g: f32, b: f32,
}
@group(0) @binding(0) var<storage, read_write> dst: array<vec4f>;
@group(0) @binding(2) var<uniform> p: Params;

@compute @workgroup_size(8, 8)
fn main(@builtin(global_invocation_id) id: vec3u) {
  let x = i32(id.x);
  let y = i32(id.y);
  if (x >= p.w || y >= p.h) { return; }
  let at = vec3f((f32(x) + 0.5) * p.stepX + p.x0, (f32(y) + 0.5) * p.stepY + p.y0, p.z);
  let t = saturate((fractal(at, p.octaves, p.seed) - p.low) * p.inverse);
  dst[y * p.w + x] = vec4f(p.r, p.g, p.b, 1) * (t * t * (3 - 2 * t));
}
