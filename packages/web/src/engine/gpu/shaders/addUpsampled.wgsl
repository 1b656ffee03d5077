// dst += gain · light, alpha capped at 1, so that a glow reaches past its layer.
struct Params { w: i32, h: i32, sw: i32, sh: i32, x: f32, y: f32, gain: f32 }

fn draw(x: i32, y: i32, here: i32) {
  let place = (vec2f(f32(x) + 0.5, f32(y) + 0.5) - vec2f(p.x, p.y)) * 0.5;
  let sum = dst[here] + p.gain * sampleClear(p.sw, p.sh, place);
  dst[here] = vec4f(sum.rgb, min(1, sum.a));
}
