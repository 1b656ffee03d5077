// Transfer between float32 linear premultiplied pixels and the storage depths.

/**
 * 8-bit sRGB to linear premultiplied. `lut` is 256 f32 (code to linear). With `premultiplied` the source
 * colour is already multiplied by alpha in sRGB space and is divided out first.
 */
export function fromSrgb8(dst: usize, src: usize, count: i32, lut: usize, premultiplied: bool): void {
  for (let i = 0; i < count; i++) {
    const p = src + ((<usize>i) << 2);
    let r = <u32>load<u8>(p);
    let g = <u32>load<u8>(p, 1);
    let b = <u32>load<u8>(p, 2);
    const a = <u32>load<u8>(p, 3);
    if (premultiplied && a != 0 && a != 255) {
      const half = a >> 1;
      r = min<u32>(255, (r * 255 + half) / a);
      g = min<u32>(255, (g * 255 + half) / a);
      b = min<u32>(255, (b * 255 + half) / a);
    }
    const alpha = <f32>a / 255;
    const q = dst + ((<usize>i) << 4);
    store<f32>(q, load<f32>(lut + ((<usize>r) << 2)) * alpha);
    store<f32>(q, load<f32>(lut + ((<usize>g) << 2)) * alpha, 4);
    store<f32>(q, load<f32>(lut + ((<usize>b) << 2)) * alpha, 8);
    store<f32>(q, alpha, 12);
  }
}

// The table is indexed by the square root of the linear value, which spaces dark codes about as evenly as
// sRGB does: 4096 entries keep every code within a tenth of a step.
const LUT_TOP: f32 = 4095;

// @ts-ignore: decorator
@inline
function encode(v: v128, lut: usize): u32 {
  const alpha = f32x4.extract_lane(v, 3);
  if (!(alpha > 0)) return 0;
  let colour = v;
  if (alpha < 1) colour = f32x4.div(v, f32x4.splat(alpha));
  // pmax(0, x) turns NaN into 0, so a broken pixel cannot index outside the table.
  colour = f32x4.pmin(f32x4.splat(1), f32x4.pmax(f32x4.splat(0), colour));
  // Adding 2²³ leaves the rounded index in the low bits of each lane.
  const index = f32x4.add(f32x4.mul(f32x4.sqrt(colour), f32x4.splat(LUT_TOP)), f32x4.splat(8388608));
  const r = <u32>load<u8>(lut + <usize>i16x8.extract_lane_u(index, 0));
  const g = <u32>load<u8>(lut + <usize>i16x8.extract_lane_u(index, 2));
  const b = <u32>load<u8>(lut + <usize>i16x8.extract_lane_u(index, 4));
  const a = <u32>(min<f32>(1, alpha) * 255 + 0.5);
  return r | (g << 8) | (b << 16) | (a << 24);
}

/** Linear premultiplied to straight 8-bit sRGB. `lut` is 4096 u8, indexed by √linear · 4095. */
export function toSrgb8(dst: usize, src: usize, count: i32, lut: usize): void {
  for (let i = 0; i < count; i++) {
    store<u32>(dst + ((<usize>i) << 2), encode(v128.load(src + ((<usize>i) << 4)), lut));
  }
}

// @ts-ignore: decorator
@inline
function halfBits(v: v128): v128 {
  // Round to nearest even by adding to the exponent: values are clamped to the half range first, and
  // subnormal halves are produced by the float adder itself (magic number 2^-14 + 2^-1 trick by F. Giesen).
  const sign = v128.and(v, i32x4.splat(<i32>0x80000000));
  let bits = v128.xor(v, sign);
  bits = v128.bitselect(i32x4.splat(0x477fe000), bits, i32x4.gt_s(bits, i32x4.splat(0x477fe000)));
  const subnormal = i32x4.sub(f32x4.add(bits, i32x4.splat(0x3f000000)), i32x4.splat(0x3f000000));
  const odd = v128.and(i32x4.shr_u(bits, 13), i32x4.splat(1));
  const normal = i32x4.shr_u(
    i32x4.add(i32x4.add(bits, i32x4.splat(<i32>0xc8000fff)), odd),
    13,
  );
  const small = i32x4.lt_s(bits, i32x4.splat(0x38800000));
  return v128.or(v128.bitselect(subnormal, normal, small), i32x4.shr_u(sign, 16));
}

/** float32 to IEEE half, round to nearest even, clamped to ±65504. */
export function toHalf(dst: usize, src: usize, count: i32): void {
  for (let i = 0; i < count; i++) {
    const h = halfBits(v128.load(src + ((<usize>i) << 4)));
    const packed = i8x16.shuffle(h, h, 0, 1, 4, 5, 8, 9, 12, 13, 0, 1, 4, 5, 8, 9, 12, 13);
    store<u64>(dst + ((<usize>i) << 3), i64x2.extract_lane(packed, 0));
  }
}

// @ts-ignore: decorator
@inline
function expandHalf(src: usize): v128 {
  const h = v128.load_ext<u16>(src);
  const sign = i32x4.shl(v128.and(h, i32x4.splat(0x8000)), 16);
  const magnitude = i32x4.shl(v128.and(h, i32x4.splat(0x7fff)), 13);
  // Multiplying by 2^112 rebases the exponent and normalises subnormals in one step.
  const scaled = f32x4.mul(magnitude, i32x4.splat(0x77800000));
  return v128.or(scaled, sign);
}

/** IEEE half to float32. */
export function fromHalf(dst: usize, src: usize, count: i32): void {
  for (let i = 0; i < count; i++) {
    v128.store(dst + ((<usize>i) << 4), expandHalf(src + ((<usize>i) << 3)));
  }
}

/** Half linear premultiplied straight to 8-bit sRGB, for the viewer. */
export function halfToSrgb8(dst: usize, src: usize, count: i32, lut: usize): void {
  for (let i = 0; i < count; i++) {
    store<u32>(dst + ((<usize>i) << 2), encode(expandHalf(src + ((<usize>i) << 3)), lut));
  }
}
