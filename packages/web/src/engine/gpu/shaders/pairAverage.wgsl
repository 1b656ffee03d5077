struct Params { w: i32, h: i32, sw: i32, sh: i32, x: i32, y: i32, dx: f32, dy: f32 }
@group(0) @binding(0) var<storage, read_write> dst: array<vec4f>;
@group(0) @binding(1) var<storage, read> src: array<vec4f>;
@group(0) @binding(2) var<uniform> p: Params;

@compute @workgroup_size(8, 8)
fn main(@builtin(global_invocation_id) id: vec3u) {
  let x = i32(id.x);
  let y = i32(id.y);
  if (x >= p.w || y >= p.h) { return; }
  let at = vec2f(f32(x + p.x) + 0.5, f32(y + p.y) + 0.5);
  let reach = vec2f(p.dx, p.dy);
  dst[y * p.w + x] = 0.5 * (sampleClear(p.sw, p.sh, at + reach) + sampleClear(p.sw, p.sh, at - reach));
}
