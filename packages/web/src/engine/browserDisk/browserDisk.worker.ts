import * as Comlink from "comlink";
import { DepthConverter } from "../depthConverter";
import { FrameCodec } from "../frameCodec";
import { endWorker } from "../helper";
import { loadKernels } from "../resources";
import { transferring } from "../transferring";
import { BrowserDisk } from "./browserDisk";
import { ContentHash } from "./contentHash";
import { openOriginFolder } from "./originFolder";

const FOLDER = "frames";

const place = {
  openFolder: () => openOriginFolder(FOLDER),
  async freeBytes() {
    const { quota = 0, usage = 0 } = await navigator.storage.estimate();
    return Math.max(0, quota - usage);
  },
};

const disk = loadKernels().then(
  (kernels) => new BrowserDisk(place, new FrameCodec(new DepthConverter(kernels)), new ContentHash(kernels)),
);
disk.catch(endWorker);

const storage = {
  ...transferring(disk),
  clear: async (...given: Parameters<BrowserDisk["clear"]>) => (await disk).clear(...given),
  change: async (...given: Parameters<BrowserDisk["change"]>) => (await disk).change(...given),
  items: async () => (await disk).items(),
  state: async () => (await disk).state(),
};

export type BrowserDiskWorker = typeof storage;

Comlink.expose(storage);
