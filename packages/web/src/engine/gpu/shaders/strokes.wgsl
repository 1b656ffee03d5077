// Round-capped strokes of one colour onto nothing. What shows through is the product of what each stroke lets
// through, whatever their order. `tiles` says for each square of the picture where its strokes begin in
// `members`, and where those of the next square do.
struct Params { w: i32, h: i32, tile: i32, across: i32, r: f32, g: f32, b: f32 }
struct Stroke { x0: f32, y0: f32, x1: f32, y1: f32, radius: f32, opacity: f32 }
@group(0) @binding(3) var<storage, read> strokes: array<Stroke>;
@group(0) @binding(4) var<storage, read> tiles: array<u32>;
@group(0) @binding(5) var<storage, read> members: array<u32>;

fn draw(x: i32, y: i32, here: i32) {
  let at = vec2f(f32(x) + 0.5, f32(y) + 0.5);
  let tile = (y / p.tile) * p.across + x / p.tile;
  var clear = 1.0;
  for (var i = tiles[tile]; i < tiles[tile + 1]; i++) {
    let s = strokes[members[i]];
    let place = at - vec2f(s.x0, s.y0);
    let along = vec2f(s.x1 - s.x0, s.y1 - s.y0);
    let t = saturate(dot(place, along) / max(1e-12, dot(along, along)));
    clear *= 1 - saturate(s.radius + 0.5 - length(place - t * along)) * s.opacity;
  }
  dst[here] = vec4f(p.r, p.g, p.b, 1) * (1 - clear);
}
