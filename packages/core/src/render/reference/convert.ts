import { linearToSrgb, srgbToLinear } from "../../drawing";
import type { FloatPicture } from "./picture";

/** 8-bit sRGB to linear premultiplied. */
export function fromSrgb8(data: Uint8Array, premultiplied: boolean): Float32Array {
  const out = new Float32Array(data.length);
  for (let i = 0; i < data.length; i += 4) {
    const alpha = data[i + 3]!;
    for (let c = 0; c < 3; c++) {
      const code =
        premultiplied && alpha > 0
          ? Math.min(255, Math.floor((data[i + c]! * 255 + (alpha >> 1)) / alpha))
          : data[i + c]!;
      out[i + c] = srgbToLinear(code / 255) * (alpha / 255);
    }
    out[i + 3] = alpha / 255;
  }
  return out;
}

/** Linear premultiplied to straight 8-bit sRGB. */
export function toSrgb8({ data }: FloatPicture): Uint8Array {
  const out = new Uint8Array(data.length);
  for (let i = 0; i < data.length; i += 4) {
    const alpha = Math.min(1, data[i + 3]!);
    if (!(alpha > 0)) continue;
    for (let c = 0; c < 3; c++)
      out[i + c] = Math.round(255 * linearToSrgb(Math.min(1, Math.max(0, data[i + c]! / data[i + 3]!))));
    out[i + 3] = Math.round(alpha * 255);
  }
  return out;
}

/** The half nearest to a value, ties to even, clamped to ±65504 (IEEE 754 binary16). */
export function toHalf(value: number): number {
  const sign = value < 0 || Object.is(value, -0) ? 0x8000 : 0;
  const magnitude = Math.min(65504, Math.abs(value));
  if (magnitude === 0) return sign;
  const exponent = Math.max(-14, Math.floor(Math.log2(magnitude)));
  const step = 2 ** (exponent - 10);
  const steps = roundToEven(magnitude / step);
  // A mantissa that rounds up to the next power of two carries into the exponent by itself.
  const bits = exponent === -14 ? steps : (exponent + 15) * 1024 + (steps - 1024);
  return sign | Math.min(0x7bff, bits);
}

export function fromHalf(bits: number): number {
  const sign = bits & 0x8000 ? -1 : 1;
  const exponent = (bits >> 10) & 31;
  const mantissa = bits & 1023;
  return sign * (exponent === 0 ? mantissa * 2 ** -24 : (1024 + mantissa) * 2 ** (exponent - 25));
}

function roundToEven(value: number): number {
  const below = Math.floor(value);
  const rest = value - below;
  if (rest !== 0.5) return Math.round(value);
  return below % 2 === 0 ? below : below + 1;
}
