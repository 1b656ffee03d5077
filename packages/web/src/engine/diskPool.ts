import type { Bytes, ContentKey } from "@kinetocache/core";
import type { Answer, FetchedPicture, FrameStorage, Listing, OutgoingFrame, Target } from "./frameStorage";
import { WorkerStorage } from "./workerStorage";

// One worker unpacks while the other receives; more would take the cores from rendering.
const WORKERS = 2;

interface Member {
  readonly storage: FrameStorage;
  busy: number;
}

/** Workers that carry frames to and from the server, several at once. */
export class DiskPool implements FrameStorage {
  private readonly members: readonly Member[] = Array.from({ length: WORKERS }, () => ({
    storage: new WorkerStorage(
      "A worker for the disk cache",
      () => new Worker(new URL("./disk.worker.ts", import.meta.url), { type: "module" }),
    ),
    busy: 0,
  }));

  list(): Promise<Answer<Listing>> {
    return this.give((storage) => storage.list());
  }

  fetch(key: ContentKey, spare?: Uint8Array<ArrayBuffer>): Promise<Answer<FetchedPicture>> {
    return this.give((storage) => storage.fetch(key, spare));
  }

  store(frame: OutgoingFrame, target: Target): Promise<Answer<Bytes>> {
    return this.give((storage) => storage.store(frame, target));
  }

  remove(key: ContentKey, location: string): Promise<Answer<void>> {
    return this.give((storage) => storage.remove(key, location));
  }

  /** Gives work to whoever has least. */
  private async give<T>(work: (storage: FrameStorage) => Promise<T>): Promise<T> {
    const member = this.members.reduce((least, other) => (other.busy < least.busy ? other : least));
    member.busy++;
    try {
      return await work(member.storage);
    } finally {
      member.busy--;
    }
  }
}
