import { BrowserWorkerPort } from "./browserDisk/browserPort";
import { DepthConverter } from "./depthConverter";
import { DiskPool } from "./diskPool";
import { Engine } from "./engine";
import type { RenderOutcome, SentCommand } from "./protocol";
import { RenderPool } from "./renderPool";
import { loadKernels, loadResources } from "./resources";
import { SequenceClient } from "./sequenceClient";
import { Viewer } from "./viewer";

async function start(): Promise<Engine> {
  // A frame that is held is shown without a renderer: nothing here waits for theirs.
  const resources = loadResources();
  const own = await loadKernels();
  const pool = new RenderPool(resources, (outcome: RenderOutcome) => engine.onOutcome(outcome));
  const engine = new Engine({
    pool,
    disks: { server: new DiskPool(), browser: new BrowserWorkerPort() },
    sequences: new SequenceClient(),
    viewer: new Viewer(new DepthConverter(own)),
    emit: (event) => self.postMessage(event),
  });
  return engine;
}

const engine = start();

// Commands that arrive before the engine is ready wait for it, in order.
self.onmessage = async ({ data: { command, sentMs } }: MessageEvent<SentCommand>) =>
  (await engine).handle(command, sentMs);
