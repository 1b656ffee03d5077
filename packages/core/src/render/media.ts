import type { Asset, ClipAsset, FrameNumber } from "../composition";
import type { Pictures, Pixels8 } from "../drawing";
import { decodePng, type Picture } from "../formats";

export type SvgAsset = Extract<Asset, { kind: "svg" }>;

/** What decodes artwork and clips; both are given at once, so a clip's frame has to be decoded beforehand. */
export interface Media {
  /** Artwork as premultiplied pixels `width` across. */
  drawArtwork(artwork: SvgAsset, width: number): Pixels8;
  /** Straight pixels of one frame. @throws Error when it could not be decoded */
  clipFrame(clip: ClipAsset, frame: FrameNumber): Pixels8;
  /** A picture of a stored sequence. @throws Error when it could not be read */
  storedFrame(sequence: string, frame: FrameNumber): Picture;
}

const WORDS = { svg: "SVG artwork", png: "a PNG still", clip: "a clip" } as const;

/** Pictures of a document by the ids of its assets. @param assets those of the document that is drawn now */
export function picturesOf(media: Media, assets: () => Readonly<Record<string, Asset>>): Pictures {
  const asset = <K extends keyof typeof WORDS>(id: string, kind: K): Extract<Asset, { kind: K }> => {
    const found = assets()[id];
    if (!found) throw new RangeError(`The document has no asset "${id}"`);
    if (found.kind !== kind) throw new TypeError(`"${id}" is not ${WORDS[kind]}`);
    return found as Extract<Asset, { kind: K }>;
  };
  return {
    artwork: (id, width) => media.drawArtwork(asset(id, "svg"), width),
    still: (id) => decodePng(asset(id, "png").base64),
    clipFrame: (id, frame) => media.clipFrame(asset(id, "clip"), frame),
    storedFrame: (sequence, frame) => media.storedFrame(sequence, frame),
  };
}
