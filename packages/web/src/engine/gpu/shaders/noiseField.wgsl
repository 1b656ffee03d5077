// Value noise on an integer lattice, with the hash of the kernels, so that every renderer computes one field.

fn lattice(h0: u32) -> f32 {
  var h = (h0 ^ (h0 >> 15)) * 0x2c1b3c6du;
  h = (h ^ (h >> 12)) * 0x297a2d39u;
  h = h ^ (h >> 15);
  return f32(h >> 8) * 5.9604645e-8;
}

fn octave(at: vec3f, seed: u32) -> f32 {
  let cell = floor(at);
  let k = bitcast<vec3u>(vec3i(cell)) * vec3u(0x8da6b343u, 0xd8163841u, 0xcb1ab31fu);
  let x0 = k.x;
  let y0 = k.y;
  let z0 = k.z + seed;
  let x1 = x0 + 0x8da6b343u;
  let y1 = y0 + 0xd8163841u;
  let z1 = z0 + 0xcb1ab31fu;
  let f = at - cell;
  let t = f * f * (3 - 2 * f);
  let near = mix(
    mix(lattice(x0 ^ y0 ^ z0), lattice(x1 ^ y0 ^ z0), t.x),
    mix(lattice(x0 ^ y1 ^ z0), lattice(x1 ^ y1 ^ z0), t.x), t.y);
  let far = mix(
    mix(lattice(x0 ^ y0 ^ z1), lattice(x1 ^ y0 ^ z1), t.x),
    mix(lattice(x0 ^ y1 ^ z1), lattice(x1 ^ y1 ^ z1), t.x), t.y);
  return mix(near, far, t.z);
}

/// Sum of octaves, each half as strong and twice as fine, scaled to [0, 1).
fn fractal(start: vec3f, octaves: u32, seed: u32) -> f32 {
  var at = start;
  var sum = 0.0;
  var weight = 0.5;
  var total = 0.0;
  for (var o = 0u; o < octaves; o++) {
    sum += octave(at, seed + o) * weight;
    total += weight;
    weight *= 0.5;
    at *= 2;
  }
  return sum / total;
}
