import * as Comlink from "comlink";
import type { FrameStorage } from "./frameStorage";
import { releasePixels } from "./pixels";

/** A storage as another worker sees it: pixels of fetched frames travel without a copy. */
export function transferring(storage: Promise<FrameStorage>): FrameStorage {
  return {
    list: async () => (await storage).list(),
    async fetch(key, spare) {
      const fetched = await (await storage).fetch(key, spare);
      return fetched.ok ? Comlink.transfer(fetched, [fetched.value.pixels.buffer]) : fetched;
    },
    async store(frame, target) {
      const stored = await (await storage).store(frame, target);
      // It is a copy of what the engine holds.
      releasePixels(frame.picture.pixels);
      return stored;
    },
    remove: async (key, location) => (await storage).remove(key, location),
  };
}
