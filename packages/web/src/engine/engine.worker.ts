import regularUrl from "@fontsource/instrument-sans/files/instrument-sans-latin-400-normal.woff2?url";
import semiboldUrl from "@fontsource/instrument-sans/files/instrument-sans-latin-600-normal.woff2?url";
import { openKernels } from "@kinetocache/kernels";
import kernelsUrl from "@kinetocache/kernels/kernels.wasm?url";
import artworkUrl from "@resvg/resvg-wasm/index_bg.wasm?url";
import * as Comlink from "comlink";
import type { DiskClient } from "./diskClient";
import { Engine } from "./engine";
import type { Command } from "./protocol";
import { RenderPool, type RenderOutcome } from "./renderPool";
import { Viewer } from "./viewer";

async function start(): Promise<Engine> {
  const [kernels, artwork, ...fonts] = await Promise.all([
    WebAssembly.compileStreaming(fetch(kernelsUrl)),
    WebAssembly.compileStreaming(fetch(artworkUrl)),
    ...[regularUrl, semiboldUrl].map(async (url) => new Uint8Array(await (await fetch(url)).arrayBuffer())),
  ]);
  const own = openKernels((await WebAssembly.instantiate(kernels, {})).exports);
  const pool = new RenderPool({ kernels, artwork, fonts }, (outcome: RenderOutcome) => engine.onOutcome(outcome));
  const engine = new Engine({
    pool,
    disk: Comlink.wrap<DiskClient>(new Worker(new URL("./disk.worker.ts", import.meta.url), { type: "module" })),
    viewer: new Viewer(own),
    emit: (event) => self.postMessage(event),
  });
  return engine;
}

const engine = start();

// Commands that arrive before the engine is ready wait for it, in order.
self.onmessage = async ({ data: command }: MessageEvent<Command>) => (await engine).handle(command);
