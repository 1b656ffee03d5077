import { BrowserWorkerPort } from "./browserDisk/browserPort";
import { DepthConverter } from "./depthConverter";
import { DiskPool } from "./diskPool";
import { Engine } from "./engine";
import type { EngineEvent, RenderOutcome, SentCommand } from "./protocol";
import { endWorker } from "./helper";
import { RenderPool } from "./renderPool";
import { loadKernels, loadResources } from "./resources";
import { SequenceClient } from "./sequenceClient";
import { Viewer } from "./viewer";

const tell = (event: EngineEvent) => self.postMessage(event);

async function start(): Promise<Engine> {
  // A frame that is held is shown without a renderer: nothing here waits for theirs.
  const startWorker = () => new Worker(new URL("./render.worker.ts", import.meta.url), { type: "module" });
  const pool = new RenderPool(startWorker, loadResources, (outcome: RenderOutcome) => engine.onOutcome(outcome));
  const own = await loadKernels();
  const engine = new Engine({
    pool,
    disks: { server: new DiskPool(), browser: new BrowserWorkerPort() },
    sequences: new SequenceClient(),
    viewer: new Viewer(new DepthConverter(own)),
    emit: tell,
  });
  return engine;
}

const engine = start();
engine.catch(endWorker);
// That it could not start is said once.
const NOTHING = () => undefined;

// Commands that arrive before the engine is ready wait for it, in order.
self.onmessage = ({ data: { command, sentMs } }: MessageEvent<SentCommand>) => {
  void engine.then((started) => {
    try {
      started.handle(command, sentMs);
    } catch (error) {
      // One command failed; the next one is another.
      const why = error instanceof Error ? error.message : String(error);
      tell({ kind: "notice", text: `The preview engine could not do "${command.kind}": ${why}` });
    }
  }, NOTHING);
};
