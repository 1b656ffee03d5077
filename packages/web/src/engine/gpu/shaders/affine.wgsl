struct Params { w: i32, h: i32, sw: i32, sh: i32, a: f32, b: f32, c: f32, d: f32, e: f32, f: f32 }
@group(0) @binding(0) var<storage, read_write> dst: array<vec4f>;
@group(0) @binding(1) var<storage, read> src: array<vec4f>;
@group(0) @binding(2) var<uniform> p: Params;

@compute @workgroup_size(8, 8)
fn main(@builtin(global_invocation_id) id: vec3u) {
  let x = i32(id.x);
  let y = i32(id.y);
  if (x >= p.w || y >= p.h) { return; }
  let at = vec2f(f32(x) + 0.5, f32(y) + 0.5);
  let place = vec2f(p.a * at.x + (p.b * at.y + p.c), p.d * at.x + (p.e * at.y + p.f));
  dst[y * p.w + x] = sampleClear(p.sw, p.sh, place);
}
