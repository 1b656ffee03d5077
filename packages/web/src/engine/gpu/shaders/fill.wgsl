struct Params { w: i32, h: i32, r: f32, g: f32, b: f32, a: f32 }

fn draw(x: i32, y: i32, here: i32) {
  dst[here] = vec4f(p.r, p.g, p.b, p.a);
}
