// colour · smoothstep(low, high, noise), opaque colour.
struct Params {
  w: i32, h: i32, octaves: u32, seed: u32, x0: f32, y0: f32, stepX: f32, stepY: f32, z: f32,
  low: f32, inverse: f32, r: f32, g: f32, b: f32,
}

fn draw(x: i32, y: i32, here: i32) {
  let at = vec3f((f32(x) + 0.5) * p.stepX + p.x0, (f32(y) + 0.5) * p.stepY + p.y0, p.z);
  let t = saturate((fractal(at, p.octaves, p.seed) - p.low) * p.inverse);
  dst[here] = vec4f(p.r, p.g, p.b, 1) * (t * t * (3 - 2 * t));
}
