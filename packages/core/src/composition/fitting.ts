import type { Transform } from "./document";

export interface PictureSize {
  readonly width: number;
  readonly height: number;
}

/** Puts a picture in the middle of a composition, as large as it is, or smaller where it would not fit. */
export function fitting(
  { width, height }: PictureSize,
  into: PictureSize,
): Pick<Transform, "x" | "y"> & { readonly scale: number } {
  const scale = Math.min(1, into.width / width, into.height / height);
  return { x: (into.width - width * scale) / 2, y: (into.height - height * scale) / 2, scale };
}
