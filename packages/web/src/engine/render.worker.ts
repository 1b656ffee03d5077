import {
  buildGraph,
  HELD_BYTES,
  RenderCancelled,
  Renderer,
  type Document,
  type DrawArtwork,
  type GraphicsChoice,
  type RendererClass,
} from "@kinetocache/core";
import { openKernels, type Kernels } from "@kinetocache/kernels";
import { openArtwork } from "./artwork";
import { GpuRenderer } from "./gpu/gpuRenderer";
import { GraphicsError } from "./gpu/graphicsError";
import { newPixels } from "./pixels";
import type { RenderInit, RenderReply, RenderRequest } from "./protocol";

// The engine compiles hot loops anew while they run; after this many frames they are as fast as they get.
const WARM_AFTER = 8;

interface Ready {
  readonly renderer: Renderer;
  readonly kernels: Kernels;
  readonly drawArtwork: DrawArtwork;
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
const frames: Record<RendererClass, number> = { "cpu-1": 0, "gpu-1": 0 };

const reply = (message: RenderReply, transfer: Transferable[] = []) => self.postMessage(message, { transfer });

async function start(init: RenderInit): Promise<Ready> {
  const drawArtwork = await openArtwork(init.artwork, init.fonts);
  const kernels = openKernels((await WebAssembly.instantiate(init.kernels, {})).exports);
  const now = () => performance.now();
  const renderer = new Renderer(kernels, { now, heldBytes: HELD_BYTES, newPixels, drawArtwork });
  return { renderer, kernels, drawArtwork, init };
}

function closeGraphics(): void {
  graphics?.renderer.close();
  graphics = undefined;
}

/** The graphics renderer on the chosen device; frames come one at a time, so that none is under way here. */
async function openGraphics(drawArtwork: DrawArtwork): Promise<GpuRenderer> {
  if (graphics?.choice === choice) return graphics.renderer;
  closeGraphics();
  const wanted = choice;
  graphics = { choice: wanted, renderer: await GpuRenderer.open(wanted, drawArtwork) };
  frames["gpu-1"] = 0;
  return graphics.renderer;
}

async function render({ renderer, kernels, drawArtwork, init }: Ready, request: RenderRequest & { kind: "render" }) {
  const { job, frame, settings } = request;
  const isGraphics = settings.renderer === "gpu-1";
  const cancelled = () => Atomics.load(init.cancel, init.slot) === job;
  try {
    if (cancelled()) throw new RenderCancelled();
    const on = isGraphics ? await openGraphics(drawArtwork) : renderer;
    on.setAssets(document!.assets);
    const { key, width, height, pixels, ms, costs, nodesTimed } = await on.render(
      buildGraph(document!, frame, settings),
      cancelled,
    );
    const warm = frames[settings.renderer]++ >= WARM_AFTER;
    const memoryBytes = kernels.arena.capacityBytes + (graphics?.renderer.memoryBytes ?? 0);
    const timing = { ms, costs, nodesTimed, warm, renderer: settings.renderer };
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
  if (request.kind === "document") document = request.document;
  else if (request.kind === "graphics") choice = request.choice;
  else await render(context, request);
}

self.onmessage = ({ data: request }: MessageEvent<RenderRequest>) => {
  take(request).catch((error: unknown) => {
    // A worker that could not start says so with each job, so that no job waits for it forever.
    if (request.kind === "render") reply({ kind: "failed", job: request.job, reason: String(error) });
  });
};
