import type { Asset, ClipAsset, DecodeDevice } from "@kinetocache/core";

/** How fast one device decodes a clip, or why it does not. */
export type DecodeResult =
  { readonly on: DecodeDevice; readonly rate: number } | { readonly on: DecodeDevice; readonly failure: string };

/** Codecs that are asked for, with a name that a person knows. */
const CODECS: readonly (readonly [name: string, codec: string])[] = [
  ["VP9", "vp09.00.31.08"],
  ["AV1", "av01.0.05M.08"],
  ["H.264", "avc1.640028"],
  ["H.265", "hvc1.1.6.L120.90"],
];

/** Names of the codecs that a graphics device decodes here. */
export async function hardwareCodecs(): Promise<string[]> {
  // Browsers without WebCodecs, and pages that are not secure, have no decoder.
  if (!("VideoDecoder" in globalThis)) return [];
  const found = await Promise.all(
    CODECS.map(async ([name, codec]) => {
      const config = { codec, codedWidth: 1920, codedHeight: 1080, hardwareAcceleration: "prefer-hardware" as const };
      const { supported } = await VideoDecoder.isConfigSupported(config);
      return supported ? [name] : [];
    }),
  );
  return found.flat();
}

/** The largest clip of a document, which is the one that decoding costs most. */
export function largestClip(assets: Readonly<Record<string, Asset>>): ClipAsset | undefined {
  const clips = Object.values(assets).filter((asset) => asset.kind === "clip");
  return clips.sort((a, b) => b.width * b.height - a.width * a.height)[0];
}
