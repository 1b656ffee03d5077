import * as Comlink from "comlink";
import { BrowserWorkerPort } from "./browserDisk/browserPort";
import { DepthConverter } from "./depthConverter";
import { DiskPool } from "./diskPool";
import { Engine } from "./engine";
import { endWorker } from "./helper";
import type { EngineWorker } from "./protocol/engineWorker";
import type { EngineEvent } from "./protocol/event";
import { inWorker, RenderPool } from "./renderPool";
import { loadKernels, loadResources } from "./resources";
import { SequenceClient } from "./sequenceClient";
import { Viewer } from "./viewer";

type Emit = (event: EngineEvent) => void;

async function start(emit: Emit): Promise<Engine> {
  // A frame that is held is shown without a renderer: nothing here waits for theirs.
  const startRenderer = inWorker(() => new Worker(new URL("./render.worker.ts", import.meta.url), { type: "module" }));
  const pool = new RenderPool(startRenderer, loadResources, (outcome) => engine.onOutcome(outcome));
  const own = await loadKernels();
  const engine = new Engine({
    pool,
    disks: { server: new DiskPool(), browser: new BrowserWorkerPort() },
    sequences: new SequenceClient(),
    viewer: new Viewer(new DepthConverter(own)),
    emit,
  });
  return engine;
}

let emit: Emit;
let engine: Promise<Engine>;

const worker: EngineWorker = {
  open(events) {
    emit = (event) => events.postMessage(event);
    engine = start(emit);
    engine.catch(endWorker);
  },
  async handle(command, sentMs) {
    // That it could not start is said once.
    const started = await engine.catch(() => undefined);
    try {
      started?.handle(command, sentMs);
    } catch (error) {
      // One command failed; the next one is another.
      const why = error instanceof Error ? error.message : String(error);
      emit({ kind: "notice", text: `The preview engine could not do "${command.kind}": ${why}` });
    }
  },
};

Comlink.expose(worker);
