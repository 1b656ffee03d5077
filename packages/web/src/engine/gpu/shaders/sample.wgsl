// Reads of src as a picture of w × h pixels.

fn pixelOrClear(w: i32, h: i32, x: i32, y: i32) -> vec4f {
  if (x < 0 || y < 0 || x >= w || y >= h) { return vec4f(0); }
  return src[y * w + x];
}

/// Bilinear at pixel coordinates (0.5 is the centre of the first pixel); transparent outside.
fn sampleClear(w: i32, h: i32, at: vec2f) -> vec4f {
  let corner = floor(at - 0.5);
  if (corner.x < -1 || corner.y < -1 || corner.x >= f32(w) || corner.y >= f32(h)) { return vec4f(0); }
  let t = at - 0.5 - corner;
  let x = i32(corner.x);
  let y = i32(corner.y);
  let top = mix(pixelOrClear(w, h, x, y), pixelOrClear(w, h, x + 1, y), t.x);
  let bottom = mix(pixelOrClear(w, h, x, y + 1), pixelOrClear(w, h, x + 1, y + 1), t.x);
  return mix(top, bottom, t.y);
}
