import regularUrl from "@fontsource/instrument-sans/files/instrument-sans-latin-400-normal.woff2?url";
import semiboldUrl from "@fontsource/instrument-sans/files/instrument-sans-latin-600-normal.woff2?url";
import { openKernels, type Kernels } from "@kinetocache/kernels";
import kernelsUrl from "@kinetocache/kernels/kernels.wasm?url";
import artworkUrl from "@resvg/resvg-wasm/index_bg.wasm?url";

/** What every renderer needs: the kernels, the artwork rasteriser and its fonts. */
export interface RenderResources {
  readonly kernels: WebAssembly.Module;
  readonly artwork: WebAssembly.Module;
  readonly fonts: readonly Uint8Array[];
}

/** Kernels of a worker's own. */
export async function loadKernels(): Promise<Kernels> {
  const { instance } = await WebAssembly.instantiateStreaming(fetch(kernelsUrl), {});
  return openKernels(instance.exports);
}

export async function loadResources(): Promise<RenderResources> {
  const [kernels, artwork, ...fonts] = await Promise.all([
    WebAssembly.compileStreaming(fetch(kernelsUrl)),
    WebAssembly.compileStreaming(fetch(artworkUrl)),
    ...[regularUrl, semiboldUrl].map(async (url) => new Uint8Array(await (await fetch(url)).arrayBuffer())),
  ]);
  return { kernels, artwork, fonts };
}
