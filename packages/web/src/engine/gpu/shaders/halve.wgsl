// The mean of 2 × 2 pixels. With keep = 1 only what is brighter than the threshold: each pixel is scaled by
// max(0, luma − threshold) / luma (Rec. 709 luma of the premultiplied colour).
struct Params { w: i32, h: i32, sw: i32, sh: i32, keep: u32, threshold: f32 }

fn draw(x: i32, y: i32, here: i32) {
  let right = min(2 * x + 1, p.sw - 1);
  let top = 2 * y * p.sw;
  let bottom = min(2 * y + 1, p.sh - 1) * p.sw;
  let mean = ((src[top + 2 * x] + src[top + right]) + (src[bottom + 2 * x] + src[bottom + right])) * 0.25;
  let luma = dot(mean.rgb, vec3f(0.2126, 0.7152, 0.0722));
  var share = 1.0;
  if (p.keep != 0) { share = select(0.0, (luma - p.threshold) / luma, luma > p.threshold); }
  dst[here] = mean * share;
}
