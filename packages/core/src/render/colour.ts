/** IEC 61966-2-1 decoding: an sRGB value in [0, 1] to linear. */
export function srgbToLinear(value: number): number {
  return value <= 0.04045 ? value / 12.92 : ((value + 0.055) / 1.055) ** 2.4;
}

/** IEC 61966-2-1 encoding: linear in [0, 1] to sRGB. */
export function linearToSrgb(value: number): number {
  return value <= 0.0031308 ? value * 12.92 : 1.055 * value ** (1 / 2.4) - 0.055;
}

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
