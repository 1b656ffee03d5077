// One invocation a pixel of what is written: each shader says in draw() what becomes of the pixel at (x, y), which lies
// `here` in the buffer. Its Params begin with the size of the picture, w and h. What it does not read of these it is
// not given.
@group(0) @binding(1) var<storage, read> src: array<vec4f>;
@group(0) @binding(2) var<uniform> p: Params;

@compute @workgroup_size(8, 8)
fn main(@builtin(global_invocation_id) id: vec3u) {
  let x = i32(id.x);
  let y = i32(id.y);
  if (x < p.w && y < p.h) { draw(x, y, y * p.w + x); }
}
