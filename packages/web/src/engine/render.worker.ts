import {
  buildGraph,
  HELD_BYTES,
  RenderCancelled,
  Renderer,
  type ContentKey,
  type Document,
  type GraphicsChoice,
  type Media,
  type Milliseconds,
  type RenderedFrame,
  type RendererClass,
} from "@kinetocache/core";
import { openKernels, type Kernels } from "@kinetocache/kernels";
import { openArtwork } from "./artwork";
import { ClipStore } from "./clip/clipStore";
import { GpuRenderer } from "./gpu/gpuRenderer";
import { GraphicsError } from "./gpu/graphicsError";
import { newPixels } from "./pixels";
import type { RenderInit, RenderReply, RenderRequest } from "./protocol";

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

let ready: Promise<Ready> | undefined;
let document: Document | undefined;
let choice: GraphicsChoice = "high-performance";
let graphics: OpenGraphics | undefined;
const clips = new ClipStore();
const frames: Record<RendererClass, number> = { "cpu-1": 0, "gpu-1": 0 };

const reply = (message: RenderReply, transfer: Transferable[] = []) => self.postMessage(message, { transfer });

async function start(init: RenderInit): Promise<Ready> {
  const drawArtwork = await openArtwork(init.artwork, init.fonts);
  const kernels = openKernels((await WebAssembly.instantiate(init.kernels, {})).exports);
  const media: Media = { drawArtwork, clipFrame: (clip, number) => clips.frame(clip, number) };
  const renderer = new Renderer(kernels, { now: () => performance.now(), heldBytes: HELD_BYTES, newPixels, media });
  return { renderer, kernels, media, init };
}

function closeGraphics(): void {
  graphics?.renderer.close();
  graphics = undefined;
}

/** The graphics renderer on the chosen device; frames come one at a time, so that none is under way here. */
async function openGraphics(media: Media): Promise<GpuRenderer> {
  if (graphics?.choice === choice) return graphics.renderer;
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
  { ms, costs }: RenderedFrame,
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

async function render({ renderer, kernels, media, init }: Ready, request: RenderRequest & { kind: "render" }) {
  const { job, frame, settings } = request;
  const isGraphics = settings.renderer === "gpu-1";
  const cancelled = () => Atomics.load(init.cancel, init.slot) === job;
  try {
    if (cancelled()) throw new RenderCancelled();
    const on = isGraphics ? await openGraphics(media) : renderer;
    const { assets } = document!;
    const graph = buildGraph(document!, frame, settings);
    const decodeMs = await clips.prepare(on.clipsOf(graph), assets);
    on.setAssets(assets);
    const rendered = await on.render(graph, cancelled);
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
    reply({ kind: "rendered", job, key, width, height, pixels, memoryBytes, ...timing }, [pixels.buffer]);
  } catch (error) {
    const reason = error instanceof Error ? error.message : String(error);
    if (error instanceof RenderCancelled) reply({ kind: "cancelled", job });
    else if (error instanceof GraphicsError) {
      // What is held on the device may be wrong or gone: the next frame on it opens it anew.
      closeGraphics();
      reply({ kind: "noGraphics", job, reason, lost: error.lost });
    } else reply({ kind: "failed", job, reason });
  }
}

async function take(request: RenderRequest): Promise<void> {
  if (request.kind === "init") {
    ready = start(request);
    await ready;
    reply({ kind: "ready" });
    return;
  }
  const context = await ready!;
  if (request.kind === "document") {
    document = request.document;
    clips.keep(document.assets);
  } else if (request.kind === "decoding") clips.setDevice(request.on);
  else if (request.kind === "graphics") choice = request.choice;
  else await render(context, request);
}

self.onmessage = ({ data: request }: MessageEvent<RenderRequest>) => {
  take(request).catch((error: unknown) => {
    // A worker that could not start says so with each job, so that no job waits for it forever.
    if (request.kind === "render") reply({ kind: "failed", job: request.job, reason: String(error) });
  });
};
