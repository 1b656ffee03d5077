struct Params { w: i32, h: i32 }
@group(0) @binding(0) var<storage, read_write> packed: array<vec2u>;
@group(0) @binding(1) var<storage, read> src: array<vec4f>;
@group(0) @binding(2) var<uniform> p: Params;

@compute @workgroup_size(8, 8)
fn main(@builtin(global_invocation_id) id: vec3u) {
  let x = i32(id.x);
  let y = i32(id.y);
  if (x >= p.w || y >= p.h) { return; }
  let v = clamp(src[y * p.w + x], vec4f(-65504), vec4f(65504));
  packed[y * p.w + x] = vec2u(pack2x16float(v.xy), pack2x16float(v.zw));
}
