import { linearToSrgb, srgbToLinear } from "../formats";

/** `#rrggbb` as linear red, green and blue. */
export function linearColour(hex: string): [number, number, number] {
  const code = Number.parseInt(hex.slice(1), 16);
  return [code >> 16, (code >> 8) & 255, code & 255].map((channel) => srgbToLinear(channel / 255)) as [
    number,
    number,
    number,
  ];
}

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
