struct Params { w: i32, h: i32, sw: i32, sh: i32, x: i32, y: i32, dx: f32, dy: f32 }

fn draw(x: i32, y: i32, here: i32) {
  let at = vec2f(f32(x + p.x) + 0.5, f32(y + p.y) + 0.5);
  let reach = vec2f(p.dx, p.dy);
  dst[here] = 0.5 * (sampleClear(p.sw, p.sh, at + reach) + sampleClear(p.sw, p.sh, at - reach));
}
