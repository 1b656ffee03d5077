import {
  isPlaceholder,
  rateName,
  timecode,
  type Document,
  type ListedMedia,
  type MediaFile,
  type ReferencedClip,
} from "@kinetocache/core";
import type { MediaPlaces } from "../../engine/media/mediaBytes";
import { bytesText } from "../../parts/format";

/** A file that a composition refers to, in words. */
export interface MediaRow {
  /** Id of the asset. */
  readonly asset: string;
  readonly file: MediaFile;
  /** Whether nothing of it is known but its name. */
  readonly isNameOnly: boolean;
  readonly uses: string;
  readonly facts: string;
  readonly where: string;
  /** Why it cannot be read. */
  readonly fault: string | undefined;
}

/** How many layers of all compositions show each asset. */
function usesOf({ compositions }: Document): ReadonlyMap<string, number> {
  const uses = new Map<string, number>();
  for (const { layers } of Object.values(compositions))
    for (const { source } of layers) {
      if (source.kind !== "clip") continue;
      const asset = source.parameters.asset as string;
      uses.set(asset, (uses.get(asset) ?? 0) + 1);
    }
  return uses;
}

/** Names that people know, by the first letters of what browsers call a codec. */
const CODECS: readonly (readonly [start: string, name: string])[] = [
  ["avc", "H.264"],
  ["hvc", "H.265"],
  ["hev", "H.265"],
  ["vp08", "VP8"],
  ["vp8", "VP8"],
  ["vp09", "VP9"],
  ["vp9", "VP9"],
  ["av01", "AV1"],
];

const codecName = (codec: string) => CODECS.find(([start]) => codec.startsWith(start))?.[1] ?? codec;

function factsOf({ width, height, rate, duration, file }: ReferencedClip): string {
  const group = file.group === 1 ? "all key frames" : file.group ? `key frame every ${file.group}` : "one key frame";
  return [
    `${width}×${height}`,
    `${rateName(rate)} fps`,
    `${duration.toLocaleString("en")} fr`,
    timecode(duration, rate),
    codecName(file.codec),
    group,
    bytesText(file.bytes),
  ].join(" · ");
}

/**
 * Files of a document in the order of their names.
 * @param missing why files cannot be read, by fingerprint @param folders those that are registered
 */
export function mediaRows(
  document: Document,
  missing: Readonly<Record<string, string>>,
  places: MediaPlaces,
  folders: readonly { readonly id: string; readonly folder: string }[],
): MediaRow[] {
  const counts = usesOf(document);
  const rows = Object.entries(document.assets).flatMap(([asset, clip]): MediaRow[] => {
    if (clip.kind !== "clip" || !clip.file) return [];
    const { fingerprint } = clip.file;
    const place = places[fingerprint];
    const folder = folders.find(({ id }) => id === place?.location)?.folder;
    const uses = counts.get(asset) ?? 0;
    return [
      {
        asset,
        file: clip.file,
        isNameOnly: isPlaceholder(clip),
        uses: uses === 0 ? "not shown" : uses === 1 ? "1 layer" : `${uses} layers`,
        facts: isPlaceholder(clip) ? "known by its name alone, from a timeline" : factsOf(clip),
        where: place ? (folder === undefined ? place.path : `${folder}/${place.path}`) : "",
        fault: missing[fingerprint],
      },
    ];
  });
  return rows.sort((a, b) => (a.file.name < b.file.name ? -1 : 1));
}

/** What is said where a file was looked for in vain. */
export function notFoundText({ isNameOnly }: Pick<MediaRow, "isNameOnly">): string {
  const what = isNameOnly ? "One file of this name alone" : "A file of the same content";
  return `${what} is needed, and none lies in the folders of source media. Add its folder below, or replace it.`;
}

/** Clips whose path has all words that were typed, whatever their case. */
export function clipsMatching(files: readonly ListedMedia[], typed: string): readonly ListedMedia[] {
  const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
  if (words.length === 0) return files;
  return files.filter(({ path }) => {
    const plain = path.toLowerCase();
    return words.every((word) => plain.includes(word));
  });
}
