import type { ContentKey, FrameItem, LocationSettings } from "@kinetocache/core";
import type { BrowserPort } from "../browserDesk";
import type { Answer } from "../frameStorage";
import { WorkerStorage } from "../workerStorage";
import type { BrowserDiskState } from "./browserDisk";
import type { BrowserDiskWorker } from "./browserDisk.worker";

/** The browser's own storage, in a worker of its own: only there files are read and written at once. */
export class BrowserWorkerPort extends WorkerStorage<BrowserDiskWorker> implements BrowserPort {
  constructor() {
    super(new Worker(new URL("./browserDisk.worker.ts", import.meta.url), { type: "module" }));
  }

  state(): Promise<BrowserDiskState> {
    return this.remote.state();
  }

  items(): Promise<Answer<readonly FrameItem[]>> {
    return this.remote.items() as Promise<Answer<readonly FrameItem[]>>;
  }

  change(settings: Partial<LocationSettings>): Promise<Answer<void>> {
    return this.remote.change(settings) as Promise<Answer<void>>;
  }

  clear(keys?: readonly ContentKey[]): Promise<Answer<void>> {
    return this.remote.clear(keys) as Promise<Answer<void>>;
  }
}
