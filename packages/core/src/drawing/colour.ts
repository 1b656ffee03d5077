import { srgbToLinear } from "./srgb";

/** `#rrggbb` as linear red, green and blue. */
export function linearColour(hex: string): [number, number, number] {
  const code = Number.parseInt(hex.slice(1), 16);
  return [code >> 16, (code >> 8) & 255, code & 255].map((channel) => srgbToLinear(channel / 255)) as [
    number,
    number,
    number,
  ];
}
