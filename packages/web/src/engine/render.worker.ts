import {
  Bakes,
  buildBakeGraph,
  buildGraph,
  HELD_BYTES,
  NO_BAKES,
  RenderCancelled,
  Renderer,
  withVariant,
  writeFrame,
  type Branch,
  type BranchExchange,
  type Bytes,
  type ContentKey,
  type Document,
  type GraphicsChoice,
  type GraphNode,
  type Media,
  type Milliseconds,
  type RenderedFrame,
  type RendererClass,
  type SourceNode,
  type StoredFrame,
} from "@kinetocache/core";
import * as Comlink from "comlink";
import { openKernels, type Kernels } from "@kinetocache/kernels";
import { openArtwork } from "./artwork";
import { ClipStore, LostMediaError } from "./media/clipStore";
import { GpuRenderer } from "./gpu/gpuRenderer";
import { GraphicsError } from "./gpu/graphicsError";
import { newPixels, releasePixels } from "./pixels";
import type {
  BakeTask,
  FrameRenderer,
  MadePicture,
  RenderInit,
  RenderOutcome,
  RenderTask,
  TriedBakes,
} from "./protocol/rendering";
import { sharedNow } from "./responses";
import { StoredPictureError, StoredPictures } from "./storedPictures";

// The engine compiles hot loops anew while they run; after this many frames they are as fast as they get.
const WARM_AFTER = 8;

interface Ready {
  readonly renderer: Renderer;
  readonly kernels: Kernels;
  readonly media: Media;
  readonly init: RenderInit;
}

/** The graphics renderer that is open, on the device it was opened for. */
interface OpenGraphics {
  readonly choice: GraphicsChoice;
  readonly renderer: GpuRenderer;
}

let become: (ready: Ready | Promise<Ready>) => void;
const ready = new Promise<Ready>((resolve) => {
  become = resolve;
});
let document: Document | undefined;
let bakes: Bakes = NO_BAKES;
let choice: GraphicsChoice = "high-performance";
let graphics: OpenGraphics | undefined;
const clips = new ClipStore();
let stored: StoredPictures;
const frames: Record<RendererClass, number> = { "cpu-1": 0, "gpu-1": 0 };

// Pixels of the frame under way. What was not handed over with the reply is given back after it: that takes as long
// as an effect, and whoever waits for the worker to give way need not wait for it.
const made: Uint8Array<ArrayBuffer>[] = [];

function makePixels(bytes: Bytes): Uint8Array<ArrayBuffer> {
  const pixels = newPixels(bytes);
  made.push(pixels);
  return pixels;
}

async function start(init: RenderInit): Promise<Ready> {
  const drawArtwork = await openArtwork(init.artwork, init.fonts);
  const kernels = openKernels((await WebAssembly.instantiate(init.kernels, {})).exports);
  const media: Media = {
    drawArtwork,
    clipFrame: (clip, number) => clips.frame(clip, number),
    storedFrame: (sequence, frame) => stored.picture({ sequence, frame }),
  };
  stored = new StoredPictures(kernels);
  const renderer = new Renderer(kernels, {
    now: () => performance.now(),
    heldBytes: HELD_BYTES,
    newPixels: makePixels,
    media,
  });
  return { renderer, kernels, media, init };
}

function closeGraphics(): void {
  graphics?.renderer.close();
  graphics = undefined;
}

/** The graphics renderer on the chosen device; frames come one at a time, so that none is under way here. */
async function openGraphics(media: Media): Promise<GpuRenderer> {
  // A device may go between two frames; whoever asks for the next one has been told of it, or wants to try again.
  if (graphics?.choice === choice && !graphics.renderer.isLost) return graphics.renderer;
  closeGraphics();
  const wanted = choice;
  graphics = { choice: wanted, renderer: await GpuRenderer.open(wanted, media) };
  frames["gpu-1"] = 0;
  return graphics.renderer;
}

interface Timing extends Pick<RenderedFrame, "ms" | "costs"> {
  /** Whether something that the frame took is not of its own, and left out: a jump within a clip. */
  readonly jumped: boolean;
}

/** Decoding a clip's frame is part of what drawing it takes. */
function withDecoding(
  { ms, costs }: Pick<RenderedFrame, "ms" | "costs">,
  decodeMs: ReadonlyMap<ContentKey, Milliseconds | undefined>,
): Timing {
  const jumps = new Set([...decodeMs].filter(([, took]) => took === undefined).map(([key]) => key));
  const all = [...decodeMs.values()].reduce<number>((sum, one) => sum + (one ?? 0), 0);
  const known = costs.filter(({ key }) => !jumps.has(key));
  return {
    ms: ms + all,
    costs: known.map((cost) => ({ ...cost, ms: cost.ms + (decodeMs.get(cost.key) ?? 0) })),
    jumped: jumps.size > 0,
  };
}

/** A layer's finished pixels in a frame. @throws RangeError when the frame does not show them */
function branchOf(root: GraphNode, key: ContentKey): GraphNode {
  const node = root.inputs.find((input) => input.key === key);
  if (!node) throw new RangeError("The frame does not show these pixels of a layer");
  return node;
}

/** What WebAssembly leaves in its memory when it breaks off, as in a panic of the artwork renderer, is good for nothing. */
function isBroken(error: unknown): boolean {
  return error instanceof WebAssembly.RuntimeError;
}

function buffersOf(branches: readonly Branch[]): ArrayBuffer[] {
  return branches.map(({ pixels }) => pixels.buffer);
}

async function render(context: Ready, job: number, task: RenderTask): Promise<RenderOutcome> {
  const { renderer, kernels, media, init } = context;
  const { frame, settings, branches, tries } = task;
  const lent = branches?.held ?? [];
  const isGraphics = settings.renderer === "gpu-1";
  const cancelled = () => Atomics.load(init.cancel, init.slot) === job;
  try {
    if (cancelled()) throw new RenderCancelled();
    const on = isGraphics ? await openGraphics(media) : renderer;
    const opened = task.variant === undefined ? document! : withVariant(document!, task.variant);
    const { assets } = opened;
    const played = tries ? new Bakes([...bakes.list, ...tries.bakes], bakes.unreadable) : bakes;
    const graph = buildGraph(opened, frame, settings, played);
    const exchange: BranchExchange = {
      held: new Map(lent.map((branch) => [branch.key, branch])),
      keep: new Set(branches?.keep),
    };
    const root = task.branch === undefined ? graph.root : branchOf(graph.root, task.branch);
    const needed = on.mediaOf(root, exchange);
    const pictures = tries && (await makePictures(context, opened, tries, needed, cancelled));
    const decodeMs = new Map([...(await clips.prepare(needed, assets)), ...(await stored.prepare(needed))]);
    on.setAssets(assets);
    if (root !== graph.root) {
      const { branch, ...measured } = renderer.renderBranch(root, cancelled, exchange);
      const warm = frames[settings.renderer]++ >= WARM_AFTER;
      const timing = withDecoding(measured, decodeMs);
      return Comlink.transfer({ kind: "branch", job, branch, warm, lent, ...timing }, buffersOf([branch, ...lent]));
    }
    const rendered = await on.render(graph, cancelled, exchange);
    const { key, width, height, pixels, nodesTimed } = rendered;
    const { ms, costs, jumped } = withDecoding(rendered, decodeMs);
    const warm = frames[settings.renderer]++ >= WARM_AFTER;
    const memoryBytes = kernels.arena.capacityBytes + (graphics?.renderer.memoryBytes ?? 0);
    const timing = {
      ms,
      costs,
      nodesTimed,
      warm,
      jumped,
      renderer: settings.renderer,
      decodeFault: clips.graphicsFault,
    };
    const back = { branches: rendered.branches, lent, pictures };
    return Comlink.transfer({ kind: "rendered", job, key, width, height, pixels, memoryBytes, ...timing, ...back }, [
      pixels.buffer,
      ...buffersOf([...rendered.branches, ...lent]),
    ]);
  } catch (error) {
    return Comlink.transfer(failureOf(error, job, lent), buffersOf(lent));
  }
}

/** What became of a frame that could not be rendered. */
function failureOf(error: unknown, job: number, lent: readonly Branch[]): RenderOutcome {
  const reason = error instanceof Error ? error.message : String(error);
  if (error instanceof RenderCancelled) return { kind: "cancelled", job, stoppedMs: sharedNow(), lent };
  if (error instanceof StoredPictureError)
    return { kind: "unreadable", job, stored: error.stored, all: error.all, reason, lent };
  if (error instanceof LostMediaError) {
    const { fingerprint, serverGone } = error;
    return { kind: "failed", job, reason, ended: false, lost: { fingerprint, reason, serverGone }, lent };
  }
  if (!(error instanceof GraphicsError)) return { kind: "failed", job, reason, ended: isBroken(error), lent };
  // What is held on the device may be wrong or gone: the next frame on it opens it anew.
  closeGraphics();
  return { kind: "noGraphics", job, reason, lost: error.lost, lent };
}

/** The file of one picture of a bake, live all through and rendered on the processor, and the key of what it shows. */
async function bakedFile(
  { renderer, kernels }: Ready,
  opened: Document,
  bake: Pick<BakeTask, "target" | "frame" | "fraction" | "depth" | "renderer" | "packed">,
  cancelled: () => boolean,
): Promise<{ readonly file: Uint8Array; readonly liveKey: ContentKey }> {
  const graph = buildBakeGraph(opened, bake.target, bake.frame, bake);
  const needed = renderer.mediaOf(graph.root);
  await clips.prepare(needed, opened.assets);
  await stored.prepare(needed);
  renderer.setAssets(opened.assets);
  const picture = renderer.render(graph, cancelled);
  // The loops of the formats take several times as long over a buffer that can be resized.
  const file = writeFrame({ ...picture, pixels: picture.pixels.slice() }, bake.packed, kernels);
  releasePixels(picture.pixels);
  if (cancelled()) throw new RenderCancelled();
  return { file, liveKey: graph.liveKey };
}

/** Makes and stores the pictures of bakes that some nodes draw, as far as they were not, to be read for the next frame. */
async function makePictures(
  context: Ready,
  opened: Document,
  { bakes: tried, sequence, number, made: before = [] }: TriedBakes,
  nodes: readonly SourceNode[],
  cancelled: () => boolean,
): Promise<MadePicture[]> {
  const pictures: MadePicture[] = [];
  const reads: (readonly [shown: StoredFrame, made: StoredFrame])[] = [];
  for (const { kind, parameters } of nodes) {
    const bake = tried.find((one) => kind === "sequence" && one.sequence === parameters.sequence);
    if (!bake) continue;
    const shown = { sequence: bake.sequence, frame: Number(parameters.frame) };
    const known = before.find((one) => one.bake === bake.id && one.frame === shown.frame);
    const made = { sequence, frame: known?.number ?? number + pictures.length };
    reads.push([shown, made]);
    if (known) {
      pictures.push(known);
      continue;
    }
    const startMs = performance.now();
    const { file, liveKey } = await bakedFile(
      context,
      opened,
      { ...bake, frame: bake.range.in + shown.frame },
      cancelled,
    );
    await storePicture(made, liveKey, file);
    const ms = performance.now() - startMs;
    pictures.push({ bake: bake.id, frame: shown.frame, number: made.frame, bytes: file.length, ms });
  }
  // Making them may have prepared others.
  for (const [shown, made] of reads) stored.readInstead(shown, made);
  return pictures;
}

/** @throws Error fit to show */
async function storePicture({ sequence, frame }: StoredFrame, key: ContentKey, file: Uint8Array): Promise<void> {
  const path = `/api/sequences/${sequence}/frames/${frame}?key=${key}`;
  const response = await fetch(path, { method: "PUT", body: new Blob([file as BlobPart]) });
  if (response.ok) return;
  const { detail } = (await response.json().catch(() => ({}))) as { detail?: string };
  throw new Error(detail ?? `The server answered ${response.status}`);
}

/** Renders one picture of a bake and has the server store it. */
async function bakePicture(context: Ready, job: number, task: BakeTask): Promise<RenderOutcome> {
  const { init } = context;
  const cancelled = () => Atomics.load(init.cancel, init.slot) === job;
  try {
    const { file, liveKey } = await bakedFile(context, document!, task, cancelled);
    await storePicture({ sequence: task.sequence, frame: task.number }, liveKey, file);
    return { kind: "baked", job, key: liveKey, lent: [] };
  } catch (error) {
    return failureOf(error, job, []);
  }
}

/** A job of a worker that could not start says so, so that no job waits for it forever. */
async function work(job: number, make: (context: Ready) => Promise<RenderOutcome>): Promise<RenderOutcome> {
  try {
    return await make(await ready);
  } catch (error) {
    return { kind: "failed", job, reason: String(error), ended: true, lent: [] };
  } finally {
    const used = made.splice(0);
    setTimeout(() => used.filter(({ byteLength }) => byteLength > 0).forEach(releasePixels));
  }
}

const renderer: FrameRenderer = {
  init: (init) => become(start(init)),
  giveUp: (reason) => become(Promise.reject(new Error(reason))),
  async setScene(scene) {
    await ready;
    document = scene.document;
    bakes = new Bakes(scene.bakes, new Set(scene.unreadable));
    clips.keep(document.assets);
  },
  async setDecoding(on) {
    await ready;
    clips.setDevice(on);
  },
  async setPlaces(places) {
    await ready;
    clips.setPlaces(places);
  },
  async setGraphics(wanted) {
    await ready;
    choice = wanted;
  },
  render: (job, task) => work(job, (context) => render(context, job, task)),
  bake: (job, task) => work(job, (context) => bakePicture(context, job, task)),
};

Comlink.expose(renderer);
