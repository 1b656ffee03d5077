struct Params { w: i32, h: i32, premultiplied: u32 }
@group(0) @binding(0) var<storage, read_write> dst: array<vec4f>;
@group(0) @binding(2) var<uniform> p: Params;
@group(0) @binding(3) var<storage, read> codes: array<u32>;

/// IEC 61966-2-1.
fn linear(code: u32) -> f32 {
  let v = f32(code) / 255;
  if (v <= 0.04045) { return v / 12.92; }
  return pow((v + 0.055) / 1.055, 2.4);
}

@compute @workgroup_size(8, 8)
fn main(@builtin(global_invocation_id) id: vec3u) {
  let x = i32(id.x);
  let y = i32(id.y);
  if (x >= p.w || y >= p.h) { return; }
  let code = codes[y * p.w + x];
  let a = code >> 24;
  var rgb = vec3u(code & 255, (code >> 8) & 255, (code >> 16) & 255);
  if (p.premultiplied != 0 && a != 0 && a != 255) { rgb = min(vec3u(255), (rgb * 255 + (a >> 1)) / a); }
  let alpha = f32(a) / 255;
  dst[y * p.w + x] = vec4f(vec3f(linear(rgb.x), linear(rgb.y), linear(rgb.z)) * alpha, alpha);
}
