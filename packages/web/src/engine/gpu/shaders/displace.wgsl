// Reads src moved by two noise fields.
struct Params {
  w: i32, h: i32, octaves: u32, seed: u32, x0: f32, y0: f32, step: f32, z: f32, amount: f32, repeatEdge: u32,
}
@group(0) @binding(0) var<storage, read_write> dst: array<vec4f>;
@group(0) @binding(1) var<storage, read> src: array<vec4f>;
@group(0) @binding(2) var<uniform> p: Params;

@compute @workgroup_size(8, 8)
fn main(@builtin(global_invocation_id) id: vec3u) {
  let x = i32(id.x);
  let y = i32(id.y);
  if (x >= p.w || y >= p.h) { return; }
  let centre = vec2f(f32(x) + 0.5, f32(y) + 0.5);
  let at = vec3f(centre * p.step + vec2f(p.x0, p.y0), p.z);
  let moved = vec2f(fractal(at, p.octaves, p.seed), fractal(at, p.octaves, p.seed + 101));
  var place = centre + p.amount * (2 * moved - 1);
  if (p.repeatEdge != 0) { place = clamp(place, vec2f(0.5), vec2f(f32(p.w), f32(p.h)) - 0.5); }
  dst[y * p.w + x] = sampleClear(p.w, p.h, place);
}
