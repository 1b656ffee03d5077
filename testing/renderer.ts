import { readFileSync } from "node:fs";
import { createRequire } from "node:module";
import { openKernels, type Kernels } from "@kinetocache/kernels";
import { Renderer, type Picture, type RendererOptions } from "@kinetocache/core";
import type * as ResvgModule from "@resvg/resvg-wasm";

const require = createRequire(`${process.cwd()}/package.json`);
const FONTS = ["400", "600"].map(
  (weight) => `@fontsource/instrument-sans/files/instrument-sans-latin-${weight}-normal.woff2`,
);

const kernelsModule = new WebAssembly.Module(readFileSync(require.resolve("@kinetocache/kernels/kernels.wasm")));

/** Fresh kernels with a memory of their own. */
export function nodeKernels(): Kernels {
  return openKernels(new WebAssembly.Instance(kernelsModule, {}).exports);
}

type DrawArtwork = RendererOptions["media"]["drawArtwork"];

/** Node decodes no clips: each frame is a plain grey of its own. */
const greyFrame: RendererOptions["media"]["clipFrame"] = ({ width, height }, frame) => ({
  width,
  height,
  data: new Uint8Array(width * height * 4).fill(frame % 256).map((value, at) => (at % 4 === 3 ? 255 : value)),
});

let artwork: Promise<DrawArtwork> | undefined;

/** A copy of its own: one that broke off is of no use to the next renderer. */
function loadResvg(): typeof ResvgModule {
  const file = require.resolve("@resvg/resvg-wasm");
  delete require.cache[file];
  return require(file) as typeof ResvgModule;
}

async function openArtwork(): Promise<DrawArtwork> {
  const { initWasm, Resvg } = loadResvg();
  await initWasm(readFileSync(require.resolve("@resvg/resvg-wasm/index_bg.wasm")));
  const fontBuffers = FONTS.map((font) => new Uint8Array(readFileSync(require.resolve(font))));
  return ({ text }, width) => {
    try {
      const drawing = new Resvg(text, {
        fitTo: { mode: "width", value: width },
        font: { fontBuffers, defaultFontFamily: "Instrument Sans" },
      });
      const image = drawing.render();
      const pixels = { width: image.width, height: image.height, data: image.pixels };
      image.free();
      drawing.free();
      return pixels;
    } catch (error) {
      if (error instanceof WebAssembly.RuntimeError) artwork = undefined;
      throw error;
    }
  };
}

/** A renderer as the browser's workers have it, in Node. @param stored pictures of sequences, by frame */
export async function nodeRenderer(heldBytes = 512 * 2 ** 20, stored: readonly Picture[] = []): Promise<Renderer> {
  artwork ??= openArtwork();
  const drawArtwork = await artwork;
  const newPixels = (bytes: number) => new Uint8Array(bytes);
  const storedFrame = (sequence: string, frame: number) => {
    const picture = stored[frame];
    if (!picture) throw new RangeError(`${sequence} has no frame ${frame}`);
    return picture;
  };
  const media = { drawArtwork, clipFrame: greyFrame, storedFrame };
  return new Renderer(nodeKernels(), { now: () => performance.now(), media, newPixels, heldBytes });
}
