// colour · (1 + amount · t), t triangular in (−1, 1) from a hash of the grain cell. In place.
struct Params { w: i32, h: i32, x: i32, y: i32, seed: u32, inverse: f32, scale: f32 }

fn hash(h0: u32) -> u32 {
  var h = (h0 ^ (h0 >> 15)) * 0x2c1b3c6du;
  h = (h ^ (h >> 12)) * 0x297a2d39u;
  return h ^ (h >> 15);
}

fn draw(x: i32, y: i32, here: i32) {
  let row = bitcast<u32>(i32(floor((f32(y + p.y) + 0.5) * p.inverse)));
  let column = bitcast<u32>(i32(floor((f32(x + p.x) + 0.5) * p.inverse)));
  let bits = hash(hash(p.seed ^ (row * 0x9e3779b1u)) ^ (column * 0x85ebca6bu));
  let gain = 1 + (f32(bits & 0xffff) - f32(bits >> 16)) * p.scale;
  let pixel = dst[here];
  dst[here] = vec4f(pixel.rgb * gain, pixel.a);
}
