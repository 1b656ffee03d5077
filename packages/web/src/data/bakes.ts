import {
  bakeChoices,
  fitting,
  framesPerSecond,
  formatFor,
  mainComposition,
  newMediaLayer,
  rangesText,
  scaledSize,
  sequenceOf,
  type Bake,
  type BakeTarget,
  type Bytes,
  type Depth,
  type Document,
  type FrameFormat,
  type FrameRange,
  type Layer,
  type NewSequence,
  type NumberedFile,
  type PictureSize,
  type SequenceAsset,
} from "@kinetocache/core";
import * as Comlink from "comlink";
import { Helper } from "../engine/helper";
import { send, suggestionEnded } from "./engineStore";
import type { ChosenPicture, PictureReader } from "./pictures.worker";
import { completeSequence, createSequence, putPicture, readSequences, removeSequence } from "./server";

/** Pictures are read aside: a large one takes as long as a frame takes to render. */
const pictureReader = new Helper(
  "The worker that reads pictures",
  () => new Worker(new URL("./pictures.worker.ts", import.meta.url), { type: "module" }),
  (running) => ({ ...running, remote: Comlink.wrap<PictureReader>(running.worker) }),
);

/** How a bake is wanted. */
export interface BakeWish {
  readonly target: BakeTarget;
  readonly range: FrameRange;
  readonly fraction: number;
  readonly depth: Depth;
  readonly packed: boolean;
  readonly location: string;
}

/** The name of what is baked; undefined when it no longer exists. */
export function targetName(document: Document, target: BakeTarget): string | undefined {
  const { composition, layer } = target;
  const own = document.compositions[composition];
  if (layer !== undefined) return own?.layers.find(({ id }) => id === layer)?.name;
  return bakeChoices(document).find((choice) => choice.target.composition === composition && !choice.target.layer)
    ?.name;
}

/**
 * Has the server make room for a bake, and the engine begin with it.
 * @param replaces the bake that this one takes the place of when it is complete
 * @returns the part that it is until then @throws RequestError
 */
export async function beginBake(document: Document, wish: BakeWish, replaces?: string): Promise<Bake> {
  const composition = document.compositions[wish.target.composition]!;
  const sequence = await createSequence(wish.location, {
    name: targetName(document, wish.target) ?? composition.name,
    kind: "bake",
    width: scaledSize(composition.width, wish.fraction),
    height: scaledSize(composition.height, wish.fraction),
    rate: composition.rate,
    depth: wish.depth,
    fileFormat: formatFor(wish.depth, wish.packed),
    frames: wish.range.out - wish.range.in,
    gaps: [],
    about: JSON.stringify({ document: document.id, ...wish.target, range: wish.range }),
  });
  return {
    id: crypto.randomUUID(),
    ...wish,
    renderer: "cpu-1",
    sequence: sequence.id,
    keys: [],
    complete: false,
    enabled: true,
    locked: false,
    ...(replaces === undefined ? {} : { replaces }),
  };
}

/** What the sequence is about that pictures go through which are only tried. */
const TRIED = "tried";
// Each picture has a number of its own.
const MOST_TRIED = 1_000_000;

/**
 * Has the engine find out what is worth baking at a location. Pictures that are tried go through a sequence that is removed
 * when it is done; one that was left behind before, too.
 * @throws RequestError
 */
export async function suggestBakes(document: Document, location: string, roomBytes: Bytes): Promise<void> {
  const left = (await readSequences()).filter(({ about }) => about === TRIED);
  await Promise.all(left.map(({ id }) => removeSequence(id)));
  const { width, height, rate } = mainComposition(document);
  const { depth } = document;
  const described = { name: "Bakes that are tried", kind: "bake", fileFormat: formatFor(depth, true) } as const;
  const { id } = await createSequence(location, {
    ...described,
    ...{ width, height, rate, depth },
    frames: MOST_TRIED,
    gaps: [],
    about: TRIED,
  });
  const ended = suggestionEnded();
  send({ kind: "suggestBakes", roomBytes, sequence: id });
  await ended;
  await removeSequence(id);
}

/** Takes a bake that is complete into the list; the one that it replaces goes. @returns the list, and what has gone */
export function withComplete(
  bakes: readonly Bake[],
  complete: Bake,
): { readonly bakes: readonly Bake[]; readonly gone: Bake | undefined } {
  const gone = bakes.find(({ id }) => id === complete.replaces);
  const { replaces: _, ...settled } = complete;
  const locked = gone?.locked ?? complete.locked;
  return {
    bakes: bakes
      .filter((bake) => bake !== gone)
      .map((bake) => (bake.id === complete.id ? { ...settled, locked } : bake)),
    gone,
  };
}

/** Ends a bake and removes its files. @throws RequestError */
export async function deleteBake(bake: Bake): Promise<void> {
  send({ kind: "stopBake", bake: bake.id });
  await removeSequence(bake.sequence);
}

/** What was brought in, and what is to be said about it. */
export interface Imported {
  readonly layer: Layer;
  readonly assets: Readonly<Record<string, SequenceAsset>>;
  readonly notes: readonly string[];
}

// Pictures that travel at the same time.
const AT_ONCE = 3;

/**
 * Brings numbered pictures in as a layer at the composition's rate.
 * @param onProgress share that is done, 0 to 1
 * @throws Error that says what was wrong with which file; nothing is kept then
 */
export async function importSequence(
  chosen: readonly File[],
  document: Document,
  location: string,
  onProgress: (share: number) => void,
): Promise<Imported> {
  const found = sequenceOf(chosen.map((file) => ({ name: file.name, file })));
  if (!found) throw new Error("None of these files has a number in its name, such as plate.0001.png");
  const { files, first, digits, name } = found;
  const frames = files.at(-1)!.number - first + 1;
  const start = await pictureOf(files[0]!.file);
  const fileFormat = formatOf(start);
  const main = mainComposition(document);
  const described: NewSequence = {
    name,
    kind: "import",
    width: start.width,
    height: start.height,
    rate: main.rate,
    depth: start.depth,
    fileFormat,
    frames,
    gaps: found.gaps,
    numbering: { first, digits },
    about: "",
  };
  const { id } = await createSequence(location, described);
  try {
    const otherSizes: number[] = [];
    let done = 0;
    const put = async ({ number, file }: NumberedFile<File>) => {
      const { width, height, depth, isPng } = await pictureOf(file);
      if (width !== described.width || height !== described.height) otherSizes.push(number);
      if (isPng !== start.isPng || depth !== described.depth)
        throw new Error(`${file.name} is of another format or depth than ${files[0]!.file.name}`);
      await putPicture(id, number - first, file, isPng);
      onProgress(++done / files.length);
    };
    for (let at = 0; at < files.length; at += AT_ONCE) await Promise.all(files.slice(at, at + AT_ONCE).map(put));
    const digest = await completeSequence(id);
    const asset: SequenceAsset = {
      kind: "sequence",
      width: described.width,
      height: described.height,
      rate: main.rate,
      duration: frames,
      sequence: id,
      digest,
      gaps: found.gaps,
    };
    return {
      layer: newMediaLayer("sequence", assetId(id), asset, name, main),
      assets: { [assetId(id)]: asset },
      notes: [
        ...notesOf(found.gaps, otherSizes, found.others.length, { first, ...described }),
        ...fitNote(described, main),
      ],
    };
  } catch (error) {
    await removeSequence(id).catch(() => undefined);
    throw error;
  }
}

function notesOf(
  gaps: readonly number[],
  otherSizes: readonly number[],
  others: number,
  { first, frames, width, height, rate }: NewSequence & { readonly first: number },
): string[] {
  const numbered = (list: readonly number[]) => rangesText(list.map((frame) => frame + first));
  return [
    `${frames} frames of ${width}×${height}, counted from ${first}, at ${framesPerSecond(rate).toFixed(2)} fps.`,
    ...(gaps.length > 0 ? [`No file for ${numbered(gaps)}: nothing shows there.`] : []),
    ...(otherSizes.length > 0
      ? [`Of another size, and scaled to fit: ${rangesText([...otherSizes].sort((a, b) => a - b))}.`]
      : []),
    ...(others > 0
      ? [`${others} ${others === 1 ? "file does" : "files do"} not belong to it and stayed outside.`]
      : []),
  ];
}

function fitNote(size: PictureSize, into: PictureSize): string[] {
  const { scale } = fitting(size, into);
  return scale === 1 ? [] : [`Scaled to ${Math.round(1000 * scale) / 10} % to fit the composition.`];
}

const assetId = (sequence: string) => `sequence-${sequence}`;

async function pictureOf(file: File): Promise<ChosenPicture> {
  try {
    return await pictureReader.ask(({ remote }) => remote.read(file));
  } catch (error) {
    throw new Error(`${file.name}: ${(error as Error).message}`, { cause: error });
  }
}

/** What the server keeps it as: PNG files are read too slowly to be played. */
function formatOf({ depth, isPng, isQoi }: ChosenPicture): FrameFormat {
  if (depth !== "8-bit") return "exr";
  return isPng || isQoi ? "qoi" : "pam";
}
