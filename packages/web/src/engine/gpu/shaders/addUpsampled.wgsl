// dst += gain · light, alpha capped at 1, so that a glow reaches past its layer.
struct Params { w: i32, h: i32, sw: i32, sh: i32, x: f32, y: f32, gain: f32 }
@group(0) @binding(0) var<storage, read_write> dst: array<vec4f>;
@group(0) @binding(1) var<storage, read> src: array<vec4f>;
@group(0) @binding(2) var<uniform> p: Params;

@compute @workgroup_size(8, 8)
fn main(@builtin(global_invocation_id) id: vec3u) {
  let x = i32(id.x);
  let y = i32(id.y);
  if (x >= p.w || y >= p.h) { return; }
  let place = (vec2f(f32(x) + 0.5, f32(y) + 0.5) - vec2f(p.x, p.y)) * 0.5;
  let sum = dst[y * p.w + x] + p.gain * sampleClear(p.sw, p.sh, place);
  dst[y * p.w + x] = vec4f(sum.rgb, min(1, sum.a));
}
