import type { BlendMode } from "../../composition";
import type { Pixel } from "./picture";

/**
 * One premultiplied pixel over another: W3C "Compositing and Blending Level 1", with colour kept
 * premultiplied and not clamped.
 */
export function blendPixel(source: Pixel, backdrop: Pixel, opacity: number, mode: BlendMode): Pixel {
  const s = source.map((value) => value * opacity) as Pixel;
  const [sa, da] = [s[3], backdrop[3]];
  const mix = (cs: number, cb: number): number => {
    switch (mode) {
      case "normal":
        return cs + cb * (1 - sa);
      case "add":
        return cs + cb;
      case "multiply":
        return cs * cb + cs * (1 - da) + cb * (1 - sa);
      case "screen":
        return cs + cb - cs * cb;
      case "overlay": {
        const overlaid = 2 * cb <= da ? 2 * cs * cb : sa * da - 2 * (da - cb) * (sa - cs);
        return overlaid + cs * (1 - da) + cb * (1 - sa);
      }
      case "darken":
        return Math.min(cs * da, cb * sa) + cs * (1 - da) + cb * (1 - sa);
      case "lighten":
        return Math.max(cs * da, cb * sa) + cs * (1 - da) + cb * (1 - sa);
    }
  };
  const alpha = mode === "add" ? Math.min(1, sa + da) : sa + da - sa * da;
  return [mix(s[0], backdrop[0]), mix(s[1], backdrop[1]), mix(s[2], backdrop[2]), alpha];
}
