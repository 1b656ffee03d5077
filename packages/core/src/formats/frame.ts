import { readExr, writeExr } from "./exr";
import { readPam, writePam } from "./pam";
import { FormatError, type Picture } from "./picture";
import { readQoi, writeQoi } from "./qoi";

/** File formats of cached frames. */
export const FRAME_FORMATS = ["pam", "qoi", "exr"] as const;
export type FrameFormat = (typeof FRAME_FORMATS)[number];

/** The format of a depth: 8-bit as PAM, or as QOI when packed; half and float as OpenEXR. */
export function formatFor(depth: Picture["depth"], packed: boolean): FrameFormat {
  if (depth !== "8-bit") return "exr";
  return packed ? "qoi" : "pam";
}

/** @throws RangeError when the format cannot hold the depth */
export function writeFrame(picture: Picture, format: FrameFormat): Uint8Array {
  return { pam: writePam, qoi: writeQoi, exr: writeExr }[format](picture);
}

/** @throws FormatError */
export function readFrame(file: Uint8Array): Picture {
  if (file[0] === 0x50 && file[1] === 0x37) return readPam(file);
  if (file[0] === 0x71 && file[1] === 0x6f) return readQoi(file);
  if (file[0] === 0x76 && file[1] === 0x2f) return readExr(file);
  throw new FormatError("Frame", "is neither PAM, QOI nor OpenEXR", 0);
}
