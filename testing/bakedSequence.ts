import type { NewSequence, Picture } from "@kinetocache/core";

export const BAKED_FRAMES = 12;

/** A picture that differs from frame to frame, the same in every process. */
export function bakedPicture(number: number): Picture {
  const pixels = Uint8Array.from({ length: 32 * 18 * 4 }, (_, at) =>
    at % 4 === 3 ? 255 : (at * 7 + number * 40) % 256,
  );
  return { width: 32, height: 18, depth: "8-bit", pixels };
}

export const describedBake: NewSequence = {
  name: "Flock, near",
  kind: "bake",
  width: 32,
  height: 18,
  rate: { numerator: 24, denominator: 1 },
  depth: "8-bit",
  fileFormat: "qoi",
  frames: BAKED_FRAMES,
  gaps: [],
  about: "",
};
