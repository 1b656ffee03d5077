import { dryKernels } from "@kinetocache/kernels";
import type { ClipAsset, Document } from "../composition";
import { mainComposition } from "../composition";
import { buildGraph, type RenderSettings } from "../graph";
import { HELD_BYTES } from "./evaluator";
import { KernelCanvas } from "./kernelCanvas";
import { Renderer } from "./renderer";
import type { SvgAsset } from "./media";

/** What one renderer needs for itself, beside the frames that it hands over. */
export interface WorkingBuffers {
  /** Most bytes of pixels alive at one time: the frame that is made, and the still branches kept for the next. */
  readonly peakBytes: number;
  /** Linear memory that these take, with the gaps between them. */
  readonly memoryBytes: number;
}

class DryCanvas extends KernelCanvas {
  protected override write(): void {
    // There is no memory to write to.
  }

  protected override read(): void {
    // Nor to read from.
  }
}

const NOTHING = new Uint8Array();
// Places that are tried, with two frames that follow each other at each, so that what stays still is held there.
// Peaks follow what moves, and that moves little from one place to the next.
const PLACES = 12;

/**
 * Working buffers for a composition at some preview settings. The renderer itself is run, over frames spread
 * evenly over the composition, with kernels that touch no pixel: what is counted is what it does, in the order
 * in which it does it.
 * @param heldBytes most that still branches may take
 */
export function workingBuffers(
  document: Document,
  settings: RenderSettings,
  heldBytes: number = HELD_BYTES,
): WorkingBuffers {
  const { duration } = mainComposition(document);
  const kernels = dryKernels();
  const options = {
    now: () => 0,
    heldBytes,
    newPixels: () => NOTHING as Uint8Array<ArrayBuffer>,
    media: {
      drawArtwork: ({ width, height }: SvgAsset, drawnWidth: number) => ({
        width: drawnWidth,
        height: Math.ceil((drawnWidth * height) / width),
        data: NOTHING,
      }),
      storedFrame: () => ({ width: 1, height: 1, depth: "8-bit" as const, pixels: NOTHING }),
      clipFrame: ({ width, height }: ClipAsset) => ({ width, height, data: NOTHING }),
    },
  };
  const renderer = new Renderer(kernels, options, new DryCanvas(kernels, options.now));
  renderer.setAssets(document.assets);
  let peakBytes = 0;
  const places = Math.min(PLACES, duration);
  for (let place = 0; place < places; place++) {
    const first = Math.floor((place * duration) / places);
    for (const frame of [first, Math.min(first + 1, duration - 1)])
      peakBytes = Math.max(peakBytes, renderer.render(buildGraph(document, frame, settings)).peakBytes);
  }
  return { peakBytes, memoryBytes: kernels.arena.capacityBytes };
}
