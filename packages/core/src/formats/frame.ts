import type { Kernels } from "@kinetocache/kernels";
import { PACK, readExr, writeExr } from "./exr";
import { readPam, writePam } from "./pam";
import { FormatError, type NewPixels, type Picture } from "./picture";
import { readQoi, writeQoi } from "./qoi";

/** File formats of cached frames. */
export const FRAME_FORMATS = ["pam", "qoi", "exr"] as const;
export type FrameFormat = (typeof FRAME_FORMATS)[number];

/** The format of a depth: 8-bit as PAM, or as QOI when packed; half and float as OpenEXR. */
export function formatFor(depth: Picture["depth"], packed: boolean): FrameFormat {
  if (depth !== "8-bit") return "exr";
  return packed ? "qoi" : "pam";
}

/** A picture as a file in the format of its depth. @param kernels pack 8-bit pictures faster */
export function writeFrame(picture: Picture, packed: boolean, kernels?: Kernels): Uint8Array {
  const format = formatFor(picture.depth, packed);
  return format === "exr"
    ? writeExr(picture, packed ? PACK : undefined)
    : format === "qoi"
      ? writeQoi(picture, kernels)
      : writePam(picture);
}

/**
 * @param newPixels makes the buffer for the pixels; without it they may be a view of `file`
 * @param kernels unpack QOI faster
 * @throws FormatError
 */
export function readFrame(file: Uint8Array, newPixels?: NewPixels, kernels?: Kernels): Picture {
  if (file[0] === 0x71 && file[1] === 0x6f) return readQoi(file, newPixels, kernels);
  if (file[0] === 0x76 && file[1] === 0x2f) return readExr(file, newPixels);
  if (file[0] !== 0x50 || file[1] !== 0x37) throw new FormatError("Frame", "is neither PAM, QOI nor OpenEXR", 0);
  const picture = readPam(file);
  if (!newPixels) return picture;
  const pixels = newPixels(picture.pixels.length);
  pixels.set(picture.pixels);
  return { ...picture, pixels };
}

/** A frame file that another program may have written: what is packed in it is checked too. @throws FormatError */
export function readForeignFrame(file: Uint8Array): Picture {
  return file[0] === 0x76 ? readExr(file, undefined, true) : readFrame(file);
}
