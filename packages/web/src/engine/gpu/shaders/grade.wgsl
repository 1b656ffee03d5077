// Straight colour times the gains, contrast as a power about a pivot, saturation about Rec. 709 luma.
// pivot · (x / pivot)^c = 2^(c · log₂ x + offset) with offset = (1 − c) · log₂ pivot.
struct Params { w: i32, h: i32, r: f32, g: f32, b: f32, contrast: f32, offset: f32, saturation: f32 }
@group(0) @binding(0) var<storage, read_write> dst: array<vec4f>;
@group(0) @binding(1) var<storage, read> src: array<vec4f>;
@group(0) @binding(2) var<uniform> p: Params;

const TINY = 1e-12;

@compute @workgroup_size(8, 8)
fn main(@builtin(global_invocation_id) id: vec3u) {
  let x = i32(id.x);
  let y = i32(id.y);
  if (x >= p.w || y >= p.h) { return; }
  let before = src[y * p.w + x];
  if (!(before.a > 0)) {
    dst[y * p.w + x] = before;
    return;
  }
  var rgb = max(vec3f(0), before.rgb / before.a * vec3f(p.r, p.g, p.b));
  if (p.contrast != 1) {
    let power = exp2(clamp(p.contrast * log2(max(rgb, vec3f(TINY))) + p.offset, vec3f(-126), vec3f(126)));
    rgb = select(vec3f(0), power, rgb > vec3f(TINY));
  }
  let luma = vec3f(dot(rgb, vec3f(0.2126, 0.7152, 0.0722)));
  rgb = max(vec3f(0), luma + p.saturation * (rgb - luma));
  dst[y * p.w + x] = vec4f(rgb * before.a, before.a);
}
