// Runs in a browser page: renders the same frame on the processor and on a graphics device.
import {
  buildGraph,
  FULL_QUALITY,
  HELD_BYTES,
  Renderer,
  type EmbeddedClip,
  type Document,
  type Media,
  type Picture,
  type RendererClass,
} from "@kinetocache/core";
import { convert } from "../../packages/core/src/render/reference";
import { openKernels } from "@kinetocache/kernels";
import { openArtwork } from "../../packages/web/src/engine/artwork";
import { ClipDecoder } from "../../packages/web/src/engine/media/clipDecoder";
import { embeddedBytes } from "../../packages/web/src/engine/media/mediaBytes";
import { ClipStore } from "../../packages/web/src/engine/media/clipStore";
import { GpuRenderer } from "../../packages/web/src/engine/gpu/gpuRenderer";
import { loadResources } from "../../packages/web/src/engine/resources";

export interface Compared {
  /** In steps of 8-bit, over all channels; relative to the larger value at half and float depth. */
  readonly difference: number;
  /** Bytes that are not 0, so that nothing is compared with nothing. */
  readonly written: number;
  readonly costs: number;
  readonly nodesTimed: boolean;
}

export interface ParityPage {
  /** Decodes frames of a clip with one decoder, in this order. @returns a checksum of each one's pixels */
  decode(clip: EmbeddedClip, frames: readonly number[]): Promise<number[]>;
  compare(document: Document, frames: readonly number[], fraction: number): Promise<Compared>;
}

/** Stored pictures by frame: 8-bit, half and float, the last two with colour brighter than 1. */
function storedPicture(_: string, frame: number): Picture {
  const [width, height] = [90, 50];
  const values = Array.from({ length: width * height * 4 }, (_, at) => ((at * 37) % 101) / 60);
  if (frame === 0) {
    const pixels = Uint8Array.from(values, (value) => Math.min(255, value * 150));
    return { width, height, depth: "8-bit", pixels };
  }
  const numbers = frame === 1 ? Uint16Array.from(values, (value) => convert.toHalf(value)) : Float32Array.from(values);
  return { width, height, depth: frame === 1 ? "half" : "float", pixels: new Uint8Array(numbers.buffer) };
}

async function open(): Promise<ParityPage> {
  const { kernels, artwork, fonts } = await loadResources();
  const drawArtwork = await openArtwork(artwork, fonts);
  const clips = new ClipStore();
  const media: Media = {
    drawArtwork,
    clipFrame: clips.frame.bind(clips),
    storedFrame: (sequence, frame) => storedPicture(sequence, frame),
  };
  const processor = new Renderer(openKernels((await WebAssembly.instantiate(kernels, {})).exports), {
    now: () => performance.now(),
    newPixels: (bytes) => new Uint8Array(bytes),
    heldBytes: HELD_BYTES,
    media,
  });
  const graphics = await GpuRenderer.open("software", media);
  return {
    async decode(clip, frames) {
      const decoder = await ClipDecoder.open(embeddedBytes(clip), clip.rate, "processor");
      try {
        const sums: number[] = [];
        for (const frame of frames) sums.push(checksum((await decoder.frame(frame)).pixels.data));
        return sums;
      } finally {
        decoder.close();
      }
    },
    async compare(document, frames, fraction) {
      let difference = 0;
      let [written, costs, nodesTimed] = [0, 0, true];
      for (const renderer of [processor, graphics]) renderer.setAssets(document.assets);
      for (const frame of frames) {
        const graph = (renderer: RendererClass) => buildGraph(document, frame, { ...FULL_QUALITY, fraction, renderer });
        await clips.prepare(processor.mediaOf(graph("cpu-1").root), document.assets);
        const expected = processor.render(graph("cpu-1"));
        await clips.prepare(graphics.mediaOf(graph("gpu-1").root), document.assets);
        const actual = await graphics.render(graph("gpu-1"));
        difference = Math.max(difference, largest(expected.pixels, actual.pixels, document.depth));
        written += actual.pixels.reduce((sum, byte) => sum + Number(byte > 0), 0);
        costs += actual.costs.length;
        nodesTimed &&= actual.nodesTimed;
      }
      return { difference, written, costs, nodesTimed };
    },
  };
}

/** FNV-1a, 32 bits. */
function checksum(bytes: Uint8Array): number {
  return bytes.reduce((sum, byte) => Math.imul(sum ^ byte, 0x01000193), 0x811c9dc5);
}

function largest(a: Uint8Array, b: Uint8Array, depth: Document["depth"]): number {
  if (a.length !== b.length) return Infinity;
  let most = 0;
  if (depth === "float") {
    const [x, y] = [new Float32Array(a.buffer), new Float32Array(b.buffer)];
    for (let i = 0; i < x.length; i++) most = Math.max(most, Math.abs(x[i]! - y[i]!) / Math.max(1, Math.abs(x[i]!)));
    return most;
  }
  if (depth === "half") {
    const [x, y] = [new Uint16Array(a.buffer), new Uint16Array(b.buffer)];
    for (let i = 0; i < x.length; i++)
      most = Math.max(
        most,
        Math.abs(convert.fromHalf(x[i]!) - convert.fromHalf(y[i]!)) / Math.max(1, convert.fromHalf(x[i]!)),
      );
    return most;
  }
  for (let i = 0; i < a.length; i++) most = Math.max(most, Math.abs(a[i]! - b[i]!));
  return most;
}

declare global {
  var parity: Promise<ParityPage>;
}

globalThis.parity = open();
