// Linear premultiplied to straight 8-bit sRGB, by the table of the kernels: codes by √linear · 4095.
struct Params { w: i32, h: i32 }
@group(0) @binding(0) var<storage, read_write> packed: array<u32>;
@group(0) @binding(1) var<storage, read> src: array<vec4f>;
@group(0) @binding(2) var<uniform> p: Params;
@group(0) @binding(3) var<storage, read> codes: array<u32>;

@compute @workgroup_size(8, 8)
fn main(@builtin(global_invocation_id) id: vec3u) {
  let x = i32(id.x);
  let y = i32(id.y);
  if (x >= p.w || y >= p.h) { return; }
  let pixel = src[y * p.w + x];
  if (!(pixel.a > 0)) {
    packed[y * p.w + x] = 0;
    return;
  }
  let straight = saturate(select(pixel.rgb, pixel.rgb / pixel.a, pixel.a < 1));
  let index = vec3u(round(sqrt(straight) * 4095));
  let alpha = u32(min(1, pixel.a) * 255 + 0.5);
  packed[y * p.w + x] = codes[index.r] | (codes[index.g] << 8) | (codes[index.b] << 16) | (alpha << 24);
}
