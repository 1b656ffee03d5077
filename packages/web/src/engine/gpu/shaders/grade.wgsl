// Straight colour times the gains, contrast as a power about a pivot, saturation about Rec. 709 luma.
// pivot · (x / pivot)^c = 2^(c · log₂ x + offset) with offset = (1 − c) · log₂ pivot.
struct Params { w: i32, h: i32, r: f32, g: f32, b: f32, contrast: f32, offset: f32, saturation: f32 }

const TINY = 1e-12;

fn draw(x: i32, y: i32, here: i32) {
  let before = src[here];
  if (!(before.a > 0)) {
    dst[here] = before;
    return;
  }
  var rgb = max(vec3f(0), before.rgb / before.a * vec3f(p.r, p.g, p.b));
  if (p.contrast != 1) {
    let power = exp2(clamp(p.contrast * log2(max(rgb, vec3f(TINY))) + p.offset, vec3f(-126), vec3f(126)));
    rgb = select(vec3f(0), power, rgb > vec3f(TINY));
  }
  let luma = vec3f(dot(rgb, vec3f(0.2126, 0.7152, 0.0722)));
  rgb = max(vec3f(0), luma + p.saturation * (rgb - luma));
  dst[here] = vec4f(rgb * before.a, before.a);
}
