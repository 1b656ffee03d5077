import { sampleClear } from "./raster";

// Value noise on an integer lattice, four pixels a step. The lattice value is an integer hash, so every
// machine computes the same field.

// @ts-ignore: decorator
@inline
function mix(h: v128): v128 {
  h = i32x4.mul(v128.xor(h, i32x4.shr_u(h, 15)), i32x4.splat(<i32>0x2c1b3c6d));
  h = i32x4.mul(v128.xor(h, i32x4.shr_u(h, 12)), i32x4.splat(<i32>0x297a2d39));
  return v128.xor(h, i32x4.shr_u(h, 15));
}

/** Lattice values in [0, 1) with 24 bits. */
// @ts-ignore: decorator
@inline
function lattice(hx: v128, hy: v128, hz: v128): v128 {
  const h = mix(v128.xor(v128.xor(hx, hy), hz));
  return f32x4.mul(f32x4.convert_i32x4_s(i32x4.shr_u(h, 8)), f32x4.splat(5.9604645e-8));
}

// @ts-ignore: decorator
@inline
function smooth(t: v128): v128 {
  return f32x4.mul(f32x4.mul(t, t), f32x4.sub(f32x4.splat(3), f32x4.mul(f32x4.splat(2), t)));
}

// @ts-ignore: decorator
@inline
function lerp(a: v128, b: v128, t: v128): v128 {
  return f32x4.add(a, f32x4.mul(f32x4.sub(b, a), t));
}

/** One octave at four positions. y and z are the same in all lanes in practice, but need not be. */
// @ts-ignore: decorator
@inline
function octave(x: v128, y: v128, z: v128, seed: i32): v128 {
  const fx = f32x4.floor(x);
  const fy = f32x4.floor(y);
  const fz = f32x4.floor(z);
  const kx = i32x4.splat(<i32>0x8da6b343);
  const ky = i32x4.splat(<i32>0xd8163841);
  const kz = i32x4.splat(<i32>0xcb1ab31f);
  const x0 = i32x4.mul(i32x4.trunc_sat_f32x4_s(fx), kx);
  const y0 = i32x4.mul(i32x4.trunc_sat_f32x4_s(fy), ky);
  const z0 = i32x4.add(i32x4.mul(i32x4.trunc_sat_f32x4_s(fz), kz), i32x4.splat(seed));
  const x1 = i32x4.add(x0, kx);
  const y1 = i32x4.add(y0, ky);
  const z1 = i32x4.add(z0, kz);
  const tx = smooth(f32x4.sub(x, fx));
  const ty = smooth(f32x4.sub(y, fy));
  const tz = smooth(f32x4.sub(z, fz));
  const near = lerp(
    lerp(lattice(x0, y0, z0), lattice(x1, y0, z0), tx),
    lerp(lattice(x0, y1, z0), lattice(x1, y1, z0), tx), ty,
  );
  const far = lerp(
    lerp(lattice(x0, y0, z1), lattice(x1, y0, z1), tx),
    lerp(lattice(x0, y1, z1), lattice(x1, y1, z1), tx), ty,
  );
  return lerp(near, far, tz);
}

/** Sum of octaves, each half as strong and twice as fine, scaled to [0, 1). */
// @ts-ignore: decorator
@inline
function fractal(x: v128, y: v128, z: v128, octaves: i32, seed: i32): v128 {
  let sum = f32x4.splat(0);
  let weight: f32 = 0.5;
  let total: f32 = 0;
  const two = f32x4.splat(2);
  for (let o = 0; o < octaves; o++) {
    sum = f32x4.add(sum, f32x4.mul(octave(x, y, z, seed + o), f32x4.splat(weight)));
    total += weight;
    weight *= 0.5;
    x = f32x4.mul(x, two);
    y = f32x4.mul(y, two);
    z = f32x4.mul(z, two);
  }
  return f32x4.mul(sum, f32x4.splat(<f32>1 / total));
}

/**
 * Fills dst with colour · density, where density = smoothstep(low, high, noise) and the colour is a
 * premultiplied pixel. Positions are ((column + 0.5) · stepX + x0, (row + 0.5) · stepY + y0, z).
 * Rows from `top` to before `bottom`.
 */
export function noise(
  dst: usize, w: i32, x0: f32, y0: f32, stepX: f32, stepY: f32, z: f32,
  octaves: i32, seed: i32, low: f32, high: f32, r: f32, g: f32, b: f32, a: f32,
  top: i32, bottom: i32,
): void {
  let colour = f32x4.splat(a);
  colour = f32x4.replace_lane(colour, 0, r);
  colour = f32x4.replace_lane(colour, 1, g);
  colour = f32x4.replace_lane(colour, 2, b);
  const ramp = f32x4(0.5, 1.5, 2.5, 3.5);
  const zv = f32x4.splat(z);
  const lowV = f32x4.splat(low);
  const inverse = f32x4.splat(<f32>1 / max<f32>(1e-6, high - low));
  const zero = f32x4.splat(0);
  const one = f32x4.splat(1);
  for (let y = top; y < bottom; y++) {
    const yv = f32x4.splat((<f32>y + 0.5) * stepY + y0);
    const row = dst + ((<usize>y * <usize>w) << 4);
    for (let x = 0; x < w; x += 4) {
      const xv = f32x4.add(
        f32x4.mul(f32x4.add(f32x4.splat(<f32>x), ramp), f32x4.splat(stepX)),
        f32x4.splat(x0),
      );
      const value = fractal(xv, yv, zv, octaves, seed);
      const t = f32x4.pmin(one, f32x4.pmax(zero, f32x4.mul(f32x4.sub(value, lowV), inverse)));
      const density = smooth(t);
      const p = row + ((<usize>x) << 4);
      const left = w - x;
      v128.store(p, f32x4.mul(colour, f32x4.splat(f32x4.extract_lane(density, 0))));
      if (left > 1) v128.store(p, f32x4.mul(colour, f32x4.splat(f32x4.extract_lane(density, 1))), 16);
      if (left > 2) v128.store(p, f32x4.mul(colour, f32x4.splat(f32x4.extract_lane(density, 2))), 32);
      if (left > 3) v128.store(p, f32x4.mul(colour, f32x4.splat(f32x4.extract_lane(density, 3))), 48);
    }
  }
}

/**
 * dst(x, y) = src(x + amount · (2n₁ − 1), y + amount · (2n₂ − 1)), bilinear; outside is transparent, or the
 * nearest edge pixel with `repeatEdge`; n₁ and n₂ are two noise fields at ((column + 0.5) · step + x0, (row + 0.5) · step + y0, z). dst and src have one size.
 * Rows from `top` to before `bottom`.
 */
export function displace(
  dst: usize, src: usize, w: i32, h: i32, amount: f32, step: f32, x0: f32, y0: f32, z: f32, octaves: i32, seed: i32, repeatEdge: bool,
  top: i32, bottom: i32,
): void {
  const ramp = f32x4(0.5, 1.5, 2.5, 3.5);
  const zv = f32x4.splat(z);
  const one = f32x4.splat(1);
  const half = f32x4.splat(0.5);
  const right = f32x4.splat(<f32>w - 0.5);
  const lowest = f32x4.splat(<f32>h - 0.5);
  const two = f32x4.splat(2);
  const scale = f32x4.splat(amount);
  for (let y = top; y < bottom; y++) {
    const cy = <f32>y + 0.5;
    const yv = f32x4.splat(cy * step + y0);
    for (let x = 0; x < w; x += 4) {
      const column = f32x4.add(f32x4.splat(<f32>x), ramp);
      const xv = f32x4.add(f32x4.mul(column, f32x4.splat(step)), f32x4.splat(x0));
      const n1 = fractal(xv, yv, zv, octaves, seed);
      const n2 = fractal(xv, yv, zv, octaves, seed + 101);
      let sx = f32x4.add(column, f32x4.mul(scale, f32x4.sub(f32x4.mul(two, n1), one)));
      let sy = f32x4.add(f32x4.splat(cy), f32x4.mul(scale, f32x4.sub(f32x4.mul(two, n2), one)));
      if (repeatEdge) {
        sx = f32x4.pmin(right, f32x4.pmax(half, sx));
        sy = f32x4.pmin(lowest, f32x4.pmax(half, sy));
      }
      const p = dst + ((<usize>(y * w + x)) << 4);
      const left = w - x;
      v128.store(p, sampleClear(src, w, h, f32x4.extract_lane(sx, 0), f32x4.extract_lane(sy, 0)));
      if (left > 1) v128.store(p, sampleClear(src, w, h, f32x4.extract_lane(sx, 1), f32x4.extract_lane(sy, 1)), 16);
      if (left > 2) v128.store(p, sampleClear(src, w, h, f32x4.extract_lane(sx, 2), f32x4.extract_lane(sy, 2)), 32);
      if (left > 3) v128.store(p, sampleClear(src, w, h, f32x4.extract_lane(sx, 3), f32x4.extract_lane(sy, 3)), 48);
    }
  }
}
