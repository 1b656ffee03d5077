/** IEC 61966-2-1 decoding: an sRGB value in [0, 1] to linear. */
export function srgbToLinear(value: number): number {
  return value <= 0.04045 ? value / 12.92 : ((value + 0.055) / 1.055) ** 2.4;
}

/** IEC 61966-2-1 encoding: linear in [0, 1] to sRGB. */
export function linearToSrgb(value: number): number {
  return value <= 0.0031308 ? value * 12.92 : 1.055 * value ** (1 / 2.4) - 0.055;
}
