struct Params { w: i32, h: i32, sw: i32, sh: i32, dx: i32, dy: i32 }
@group(0) @binding(0) var<storage, read_write> dst: array<vec4f>;
@group(0) @binding(1) var<storage, read> src: array<vec4f>;
@group(0) @binding(2) var<uniform> p: Params;

@compute @workgroup_size(8, 8)
fn main(@builtin(global_invocation_id) id: vec3u) {
  let x = i32(id.x);
  let y = i32(id.y);
  if (x >= p.w || y >= p.h) { return; }
  dst[y * p.w + x] = pixelOrClear(p.sw, p.sh, x + p.dx, y + p.dy);
}
