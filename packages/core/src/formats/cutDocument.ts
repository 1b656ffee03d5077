import {
  convertFrame,
  freeId,
  LONGEST_NAME,
  mainComposition,
  MOST_ASSETS,
  MOST_COMPOSITIONS,
  MOST_FRAMES,
  MOST_LAYERS,
  newDocument,
  newMediaLayer,
  newNestedLayer,
  withComposition,
  withLayers,
  type Composition,
  type Depth,
  type Document,
  type Layer,
  type PictureSize,
  type Rate,
  type ReferencedClip,
} from "../composition";
import { digest } from "../graph";
import { CutError, type Cut, type CutClip, type CutTrack, type LeftOut } from "./cut";

/** A composition that was made of a cut, with what of the cut is not in it. */
export interface ImportedCut {
  readonly document: Document;
  readonly leftOut: readonly LeftOut[];
  /** Names of files that were not found: their layers show nothing until they are. */
  readonly missing: readonly string[];
}

function placeholder(
  file: string,
  { width, height }: PictureSize,
  clips: readonly CutClip[],
  rate: Rate,
): ReferencedClip {
  const { sourceRate } = clips[0]!;
  const endOf = ({ sourceFrame, range }: CutClip) =>
    sourceFrame + convertFrame(range.out - range.in, rate, sourceRate) + 1;
  const last = clips.reduce((most, clip) => Math.max(most, endOf(clip)), 1);
  return {
    kind: "clip",
    width,
    height,
    rate: sourceRate,
    duration: Math.min(MOST_FRAMES, last),
    file: { name: file, bytes: 0, modifiedMs: 0, fingerprint: digest(`unknown file ${file}`), codec: "unknown" },
  };
}

interface Assets {
  readonly byFile: ReadonlyMap<string, readonly [id: string, clip: ReferencedClip]>;
  readonly missing: readonly string[];
}

/** One asset a file; what is not found is the same size as the composition. */
function assetsOf(
  clips: readonly CutClip[],
  found: ReadonlyMap<string, ReferencedClip>,
  size: PictureSize,
  rate: Rate,
): Assets {
  const users = new Map<string, CutClip[]>();
  for (const clip of clips) {
    if (clip.file === undefined) continue;
    const known = users.get(clip.file);
    if (known) known.push(clip);
    else users.set(clip.file, [clip]);
  }
  const missing = [...users.keys()].filter((file) => !found.has(file));
  const byFile = [...users].map(([file, own]) => {
    const clip = found.get(file) ?? placeholder(file, size, own, rate);
    return [file, [`clip-${clip.file.fingerprint}`, clip]] as const;
  });
  return { byFile: new Map(byFile), missing };
}

/** The layers of a track, from what is found of its files. */
function layersOf(
  track: CutTrack,
  into: Composition,
  { byFile }: Assets,
  leftOut: LeftOut[],
  taken = new Set<string>(),
): Layer[] {
  const layers: Layer[] = [];
  for (const clip of track.clips) {
    const place = `${track.name}, ${clip.name}`;
    const asset = clip.file === undefined ? undefined : byFile.get(clip.file);
    if (!asset) {
      leftOut.push({ place, what: "no file is named for it: it is left empty" });
      continue;
    }
    const [id, media] = asset;
    const layer = newMediaLayer("clip", id, media, clip.name, into);
    let offset = convertFrame(clip.sourceFrame, clip.sourceRate, media.rate);
    if (offset >= media.duration) {
      leftOut.push({
        place,
        what: `it begins at frame ${offset} of a file of ${media.duration}: shown from its first`,
      });
      offset = 0;
    }
    const source = { ...layer.source, parameters: { ...layer.source.parameters, offset } };
    const unique = freeId(layer.id, taken);
    taken.add(unique);
    const own = { id: unique, range: clip.range, start: clip.range.in, enabled: clip.enabled };
    layers.push({ ...layer, ...own, source });
  }
  return layers;
}

/**
 * The composition of a cut: a layer each clip, from the bottom track up. Of more clips than a composition can have
 * layers, each track is a nested composition.
 * @param found clips by the names of files @param size where no file of the cut is found @throws CutError
 */
export function cutDocument(
  cut: Cut,
  found: ReadonlyMap<string, ReferencedClip>,
  size: PictureSize,
  depth: Depth,
): ImportedCut {
  const clips = cut.tracks.flatMap((track) => track.clips);
  if (clips.length === 0) throw new CutError(["The timeline has no clips of pictures"]);
  const duration = clips.reduce((last, { range }) => Math.max(last, range.out), 1);
  const first = clips.find(({ file }) => file !== undefined && found.has(file));
  const { width, height } = first ? found.get(first.file!)! : size;
  const name = cut.name.slice(0, LONGEST_NAME);
  let document = newDocument({ name, width, height, rate: cut.rate, duration }, depth);
  const leftOut = [...cut.leftOut];
  const files = new Set(clips.map(({ file }) => file));
  if (files.size > MOST_ASSETS)
    throw new CutError([`The timeline names ${files.size} files; the most there can be is ${MOST_ASSETS}`]);
  const assets = assetsOf(clips, found, { width, height }, cut.rate);
  document = { ...document, assets: Object.fromEntries(assets.byFile.values()) };
  const main = mainComposition(document);
  if (clips.length <= MOST_LAYERS) {
    const taken = new Set<string>();
    const layers = cut.tracks.flatMap((track) => layersOf(track, main, assets, leftOut, taken));
    return { document: withLayers(document, layers), leftOut, missing: assets.missing };
  }
  return { document: nestedByTrack(cut, document, assets, leftOut), leftOut, missing: assets.missing };
}

function nestedByTrack(cut: Cut, document: Document, assets: Assets, leftOut: LeftOut[]): Document {
  const main = mainComposition(document);
  if (cut.tracks.length >= MOST_COMPOSITIONS)
    throw new CutError([`tracks: there are ${cut.tracks.length}; the most there can be is ${MOST_COMPOSITIONS - 1}`]);
  let nested = document;
  for (const [index, track] of cut.tracks.entries()) {
    const id = `track-${index + 1}`;
    const own = layersOf(track, main, assets, leftOut);
    if (own.length > MOST_LAYERS)
      throw new CutError([
        `${track.name}: it has ${own.length} clips; the most there can be on a track is ${MOST_LAYERS}`,
      ]);
    const layer = newNestedLayer(id, track.name, mainComposition(nested));
    nested = withComposition(nested, { ...main, id, name: layer.name, layers: own });
    nested = withLayers(nested, [...mainComposition(nested).layers, layer]);
  }
  return nested;
}

/** What of the open composition is a cut: its layers that show files, as far as a cut can say it. */
export function documentCut(document: Document): Cut {
  const { name, rate, layers, duration } = mainComposition(document);
  const leftOut: LeftOut[] = [];
  const clips = layers.flatMap((layer): CutClip[] => {
    const { source, range, start, enabled } = layer;
    const asset = source.kind === "clip" ? document.assets[String(source.parameters.asset)] : undefined;
    if (asset?.kind !== "clip" || !asset.file || typeof source.parameters.offset !== "number") {
      leftOut.push({ place: layer.name, what: "it is not a clip from a file" });
      return [];
    }
    const shown = { in: Math.max(0, range.in), out: Math.min(duration, range.out) };
    if (shown.out <= shown.in) return [];
    if (layer.effects.some((effect) => effect.enabled)) leftOut.push({ place: layer.name, what: "effects" });
    const sourceFrame = Math.max(0, convertFrame(shown.in - start, rate, asset.rate) + source.parameters.offset);
    return [{ name: layer.name, file: asset.file.name, range: shown, sourceFrame, sourceRate: asset.rate, enabled }];
  });
  return { name, rate, tracks: stacked(clips), leftOut };
}

/** Clips in the order of stacking on as few tracks as keep it. */
function stacked(clips: readonly CutClip[]): CutTrack[] {
  const tracks: CutClip[][] = [];
  for (const clip of clips) {
    const meets = (other: CutClip) => other.range.in < clip.range.out && clip.range.in < other.range.out;
    // Right above the highest track that it shows together with.
    const below = tracks.reduce((highest, own, index) => (own.some(meets) ? index : highest), -1);
    const at = below + 1;
    (tracks[at] ??= []).push(clip);
  }
  return tracks.map((own, index) => ({
    name: `V${index + 1}`,
    clips: [...own].sort((a, b) => a.range.in - b.range.in),
  }));
}
