import type { Media } from "@kinetocache/core";
import { initWasm, Resvg } from "@resvg/resvg-wasm";

/** Draws SVG artwork with the fonts that ship with the application. Once in a worker. */
export async function openArtwork(
  module: WebAssembly.Module,
  fonts: readonly Uint8Array[],
): Promise<Media["drawArtwork"]> {
  await initWasm(module);
  return ({ text }, width) => {
    const artwork = new Resvg(text, {
      fitTo: { mode: "width", value: width },
      font: { fontBuffers: [...fonts], defaultFontFamily: "Instrument Sans" },
    });
    const image = artwork.render();
    const pixels = { width: image.width, height: image.height, data: image.pixels };
    // What WebAssembly holds is freed by nobody else.
    image.free();
    artwork.free();
    return pixels;
  };
}
