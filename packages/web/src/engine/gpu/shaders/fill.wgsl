struct Params { w: i32, h: i32, r: f32, g: f32, b: f32, a: f32 }
@group(0) @binding(0) var<storage, read_write> dst: array<vec4f>;
@group(0) @binding(2) var<uniform> p: Params;

@compute @workgroup_size(8, 8)
fn main(@builtin(global_invocation_id) id: vec3u) {
  let x = i32(id.x);
  let y = i32(id.y);
  if (x >= p.w || y >= p.h) { return; }
  dst[y * p.w + x] = vec4f(p.r, p.g, p.b, p.a);
}
