import type { ContentKey, FrameItem, LocationSettings } from "@kinetocache/core";
import type { BrowserPort } from "../browserDesk";
import type { Answer } from "../frameStorage";
import { WorkerStorage } from "../workerStorage";
import type { BrowserDiskState } from "./browserDisk";
import type { BrowserDiskWorker } from "./browserDisk.worker";

/** The browser's own storage, in a worker of its own: only there files are read and written at once. */
export class BrowserWorkerPort extends WorkerStorage<BrowserDiskWorker> implements BrowserPort {
  constructor() {
    super(
      "The worker for the browser's storage",
      () => new Worker(new URL("./browserDisk.worker.ts", import.meta.url), { type: "module" }),
    );
  }

  state(): Promise<BrowserDiskState> {
    return this.ask((remote) => remote.state());
  }

  items(): Promise<Answer<readonly FrameItem[]>> {
    return this.request((storage) => storage.items());
  }

  change(settings: Partial<LocationSettings>): Promise<Answer<void>> {
    return this.request((storage) => storage.change(settings));
  }

  clear(keys?: readonly ContentKey[]): Promise<Answer<void>> {
    return this.request((storage) => storage.clear(keys));
  }
}
