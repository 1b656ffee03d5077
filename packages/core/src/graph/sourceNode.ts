import {
  convertFrame,
  valueAt,
  type ClipAsset,
  type Composition,
  type Layer,
  type SequenceAsset,
} from "../composition";
import { SOURCES, type Window } from "../drawing";
import type { StoredFrame } from "./bake";
import { canvas, type Context } from "./context";
import { evaluated } from "./evaluated";
import type { GraphNode, SourceNode } from "./node";
import { assetKey, describe, nodeKey } from "./nodeKey";

/** The frame of a clip that is on show; none before its first and after its last. */
function clipNode({ source, start }: Layer, owner: Composition, context: Context): GraphNode | null {
  const { document, fraction, settings } = context;
  const id = source.parameters.asset as string;
  const clip = document.assets[id] as ClipAsset;
  if (clip.file && settings.missing.includes(clip.file.fingerprint)) return null;
  const offset = Math.round(valueAt(source.parameters.offset as never, context.frame));
  const frame = convertFrame(context.frame - start, owner.rate, clip.rate) + offset;
  if (frame < 0 || frame >= clip.duration) return null;
  const window = canvas(clip, fraction);
  const text = `asset=${assetKey(clip)}|frame=${frame}|${fraction}`;
  const key = nodeKey("clip", SOURCES.clip.version, text, window, context, []);
  return { key, kind: "clip", parameters: { asset: id, frame }, fraction, window, inputs: [], layer: context.topLayer };
}

/** The picture of a sequence that is on show; none before its first, after its last and where there was no file. */
function sequenceNode({ source, start }: Layer, owner: Composition, context: Context): GraphNode | null {
  const asset = context.document.assets[source.parameters.asset as string] as SequenceAsset;
  const offset = Math.round(valueAt(source.parameters.offset as never, context.frame));
  const frame = convertFrame(context.frame - start, owner.rate, asset.rate) + offset;
  if (frame < 0 || frame >= asset.duration || asset.gaps.includes(frame)) return null;
  const text = `${assetKey(asset)}|frame=${frame}`;
  const stored = { ...asset, frames: asset.duration };
  return storedNode({ sequence: asset.sequence, frame }, text, stored, canvas(asset, context.fraction), context);
}

/** @param text names the picture @param stored size of the stored pictures, and how many there are */
export function storedNode(
  { sequence, frame }: StoredFrame,
  text: string,
  { width, height, frames }: { readonly width: number; readonly height: number; readonly frames: number },
  window: Window,
  context: Context,
): GraphNode {
  const { fraction } = context;
  const key = nodeKey("sequence", SOURCES.sequence.version, text, window, context, []);
  const parameters = { sequence, frame, frames, width, height };
  return { key, kind: "sequence", parameters, fraction, window, inputs: [], layer: context.topLayer };
}

/** What a layer shows before its effects; a nested composition has a graph of its own. */
export function sourceNode(layer: Layer, owner: Composition, context: Context): GraphNode | null {
  const { parameters } = layer.source;
  const kind = layer.source.kind as SourceNode["kind"];
  const { document, fraction } = context;
  if (kind === "clip") return clipNode(layer, owner, context);
  if (kind === "sequence") return sequenceNode(layer, owner, context);
  const values = evaluated(SOURCES[kind], parameters, context);
  const asset = kind === "svg" || kind === "png" ? document.assets[parameters.asset as string]! : undefined;
  const window = canvas(asset ?? owner, fraction);
  const text = asset ? `asset=${assetKey(asset)}` : describe(values);
  const key = nodeKey(kind, SOURCES[kind].version, `${text}|${fraction}`, window, context, []);
  return { key, kind, parameters: values, fraction, window, inputs: [], layer: context.topLayer };
}
