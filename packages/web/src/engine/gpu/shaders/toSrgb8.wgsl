// Linear premultiplied to straight 8-bit sRGB, by the table of the kernels: codes by √linear · 4095.
struct Params { w: i32, h: i32 }
@group(0) @binding(0) var<storage, read_write> packed: array<u32>;
@group(0) @binding(3) var<storage, read> codes: array<u32>;

fn draw(x: i32, y: i32, here: i32) {
  let pixel = src[here];
  if (!(pixel.a > 0)) {
    packed[here] = 0;
    return;
  }
  let straight = saturate(select(pixel.rgb, pixel.rgb / pixel.a, pixel.a < 1));
  let index = vec3u(round(sqrt(straight) * 4095));
  let alpha = u32(min(1, pixel.a) * 255 + 0.5);
  packed[here] = codes[index.r] | (codes[index.g] << 8) | (codes[index.b] << 16) | (alpha << 24);
}
