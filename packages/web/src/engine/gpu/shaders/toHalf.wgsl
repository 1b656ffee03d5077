struct Params { w: i32, h: i32 }
@group(0) @binding(0) var<storage, read_write> packed: array<vec2u>;

fn draw(x: i32, y: i32, here: i32) {
  let v = clamp(src[here], vec4f(-65504), vec4f(65504));
  packed[here] = vec2u(pack2x16float(v.xy), pack2x16float(v.zw));
}
