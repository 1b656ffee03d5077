struct Params { w: i32, h: i32, sw: i32, sh: i32, dx: i32, dy: i32 }

fn draw(x: i32, y: i32, here: i32) {
  dst[here] = pixelOrClear(p.sw, p.sh, x + p.dx, y + p.dy);
}
