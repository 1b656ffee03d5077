import { buildGraph, HELD_BYTES, RenderCancelled, Renderer, type Document } from "@kinetocache/core";
import { openKernels, type Kernels } from "@kinetocache/kernels";
import { openArtwork } from "./artwork";
import { newPixels } from "./pixels";
import type { RenderInit, RenderReply, RenderRequest } from "./protocol";

// The engine compiles hot loops anew while they run; after this many frames they are as fast as they get.
const WARM_AFTER = 8;

interface Ready {
  readonly renderer: Renderer;
  readonly kernels: Kernels;
  readonly init: RenderInit;
}

let ready: Promise<Ready> | undefined;
let document: Document | undefined;
let frames = 0;

const reply = (message: RenderReply, transfer: Transferable[] = []) => self.postMessage(message, { transfer });

async function start(init: RenderInit): Promise<Ready> {
  const kernels = openKernels((await WebAssembly.instantiate(init.kernels, {})).exports);
  const renderer = new Renderer(kernels, {
    now: () => performance.now(),
    heldBytes: HELD_BYTES,
    newPixels,
    drawArtwork: await openArtwork(init.artwork, init.fonts),
  });
  return { renderer, kernels, init };
}

function render({ renderer, kernels, init }: Ready, request: RenderRequest & { kind: "render" }): void {
  const { job, frame, settings } = request;
  const cancelled = () => Atomics.load(init.cancel, init.slot) === job;
  try {
    if (cancelled()) throw new RenderCancelled();
    const rendered = renderer.render(buildGraph(document!, frame, settings), cancelled);
    const { key, width, height, pixels, ms, costs } = rendered;
    const warm = frames++ >= WARM_AFTER;
    reply(
      { kind: "rendered", job, key, width, height, pixels, ms, costs, memoryBytes: kernels.arena.capacityBytes, warm },
      [pixels.buffer],
    );
  } catch (error) {
    if (error instanceof RenderCancelled) reply({ kind: "cancelled", job });
    else reply({ kind: "failed", job, reason: error instanceof Error ? error.message : String(error) });
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
    context.renderer.setAssets(document.assets);
  } else render(context, request);
}

self.onmessage = ({ data: request }: MessageEvent<RenderRequest>) => {
  take(request).catch((error: unknown) => {
    // A worker that could not start says so with each job, so that no job waits for it forever.
    if (request.kind === "render") reply({ kind: "failed", job: request.job, reason: String(error) });
  });
};
