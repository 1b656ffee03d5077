// One pass of the extended box filter along lines:
// out[i] = scale · (Σ in[i+1 … i+2r+1] + alpha · (in[i] + in[i+2r+2])), in[k] = src[k + offset].
// A line has `count` pixels of dst and `sourceCount` of src, `step` pixels apart, and lines are `line` apart.
// Every invocation slides the sum over a piece of a line.
struct Params {
  lines: i32, count: i32, radius: i32, offset: i32, sourceCount: i32, repeatEdge: u32,
  line: i32, step: i32, sourceLine: i32, sourceStep: i32, alpha: f32, scale: f32,
}
@group(0) @binding(1) var<storage, read> src: array<vec4f>;
@group(0) @binding(2) var<uniform> p: Params;

const PIECE = 32;

fn pixel(line: i32, k: i32) -> vec4f {
  var at = k + p.offset;
  if (at < 0 || at >= p.sourceCount) {
    if (p.repeatEdge == 0) { return vec4f(0); }
    at = clamp(at, 0, p.sourceCount - 1);
  }
  return src[line * p.sourceLine + at * p.sourceStep];
}

@compute @workgroup_size(64)
fn main(@builtin(global_invocation_id) id: vec3u) {
  let line = i32(id.x);
  let first = i32(id.y) * PIECE;
  if (line >= p.lines || first >= p.count) { return; }
  let inner = 2 * p.radius + 1;
  var sum = vec4f(0);
  for (var k = 1; k <= inner; k++) { sum += pixel(line, first + k); }
  for (var i = first; i < min(first + PIECE, p.count); i++) {
    let far = pixel(line, i + inner + 1);
    dst[line * p.line + i * p.step] = p.scale * (sum + p.alpha * (pixel(line, i) + far));
    sum += far - pixel(line, i + 1);
  }
}
