// colour · (1 + amount · t), t triangular in (−1, 1) from a hash of the grain cell. In place.
struct Params { w: i32, h: i32, x: i32, y: i32, seed: u32, inverse: f32, scale: f32 }
@group(0) @binding(0) var<storage, read_write> dst: array<vec4f>;
@group(0) @binding(2) var<uniform> p: Params;

fn hash(h0: u32) -> u32 {
  var h = (h0 ^ (h0 >> 15)) * 0x2c1b3c6du;
  h = (h ^ (h >> 12)) * 0x297a2d39u;
  return h ^ (h >> 15);
}

@compute @workgroup_size(8, 8)
fn main(@builtin(global_invocation_id) id: vec3u) {
  let x = i32(id.x);
  let y = i32(id.y);
  if (x >= p.w || y >= p.h) { return; }
  let row = bitcast<u32>(i32(floor((f32(y + p.y) + 0.5) * p.inverse)));
  let column = bitcast<u32>(i32(floor((f32(x + p.x) + 0.5) * p.inverse)));
  let bits = hash(hash(p.seed ^ (row * 0x9e3779b1u)) ^ (column * 0x85ebca6bu));
  let gain = 1 + (f32(bits & 0xffff) - f32(bits >> 16)) * p.scale;
  let pixel = dst[y * p.w + x];
  dst[y * p.w + x] = vec4f(pixel.rgb * gain, pixel.a);
}
