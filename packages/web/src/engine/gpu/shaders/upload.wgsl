struct Params { w: i32, h: i32, premultiplied: u32 }
@group(0) @binding(3) var<storage, read> codes: array<u32>;

/// IEC 61966-2-1.
fn linear(code: u32) -> f32 {
  let v = f32(code) / 255;
  if (v <= 0.04045) { return v / 12.92; }
  return pow((v + 0.055) / 1.055, 2.4);
}

fn draw(x: i32, y: i32, here: i32) {
  let code = codes[here];
  let a = code >> 24;
  var rgb = vec3u(code & 255, (code >> 8) & 255, (code >> 16) & 255);
  if (p.premultiplied != 0 && a != 0 && a != 255) { rgb = min(vec3u(255), (rgb * 255 + (a >> 1)) / a); }
  let alpha = f32(a) / 255;
  dst[here] = vec4f(vec3f(linear(rgb.x), linear(rgb.y), linear(rgb.z)) * alpha, alpha);
}
