import { linearToSrgb, srgbToLinear } from "../drawing";

/** Linear values of the 256 sRGB codes. */
export function decodeTable(): Float32Array {
  return Float32Array.from({ length: 256 }, (_, code) => srgbToLinear(code / 255));
}

export const ENCODE_ENTRIES = 4096;

/** sRGB codes indexed by √linear · 4095. */
export function encodeTable(): Uint8Array {
  return Uint8Array.from({ length: ENCODE_ENTRIES }, (_, index) =>
    Math.round(255 * linearToSrgb((index / (ENCODE_ENTRIES - 1)) ** 2)),
  );
}
