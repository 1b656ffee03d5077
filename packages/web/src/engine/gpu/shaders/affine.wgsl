struct Params { w: i32, h: i32, sw: i32, sh: i32, a: f32, b: f32, c: f32, d: f32, e: f32, f: f32 }

fn draw(x: i32, y: i32, here: i32) {
  let at = vec2f(f32(x) + 0.5, f32(y) + 0.5);
  let place = vec2f(p.a * at.x + (p.b * at.y + p.c), p.d * at.x + (p.e * at.y + p.f));
  dst[here] = sampleClear(p.sw, p.sh, place);
}
