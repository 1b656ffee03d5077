// Reads src moved by two noise fields.
struct Params {
  w: i32, h: i32, octaves: u32, seed: u32, x0: f32, y0: f32, step: f32, z: f32, amount: f32, repeatEdge: u32,
}

fn draw(x: i32, y: i32, here: i32) {
  let centre = vec2f(f32(x) + 0.5, f32(y) + 0.5);
  let at = vec3f(centre * p.step + vec2f(p.x0, p.y0), p.z);
  let moved = vec2f(fractal(at, p.octaves, p.seed), fractal(at, p.octaves, p.seed + 101));
  var place = centre + p.amount * (2 * moved - 1);
  if (p.repeatEdge != 0) { place = clamp(place, vec2f(0.5), vec2f(f32(p.w), f32(p.h)) - 0.5); }
  dst[here] = sampleClear(p.w, p.h, place);
}
