import * as Comlink from "comlink";
import type { Bytes, ContentKey } from "@kinetocache/core";
import type { Answer, FetchedPicture, FrameStorage, Listing, OutgoingFrame, Target } from "./frameStorage";

// One worker unpacks while the other receives; more would take the cores from rendering.
const WORKERS = 2;

interface Member {
  readonly storage: Comlink.Remote<FrameStorage>;
  busy: number;
}

/** Workers that carry frames to and from the server, several at once. */
export class DiskPool implements FrameStorage {
  private readonly members: readonly Member[] = Array.from({ length: WORKERS }, () => ({
    storage: Comlink.wrap<FrameStorage>(new Worker(new URL("./disk.worker.ts", import.meta.url), { type: "module" })),
    busy: 0,
  }));

  list(): Promise<Answer<Listing>> {
    return this.give((storage) => storage.list() as Promise<Answer<Listing>>);
  }

  fetch(key: ContentKey): Promise<Answer<FetchedPicture>> {
    return this.give((storage) => storage.fetch(key) as Promise<Answer<FetchedPicture>>);
  }

  store(frame: OutgoingFrame, target: Target): Promise<Answer<Bytes>> {
    return this.give((storage) => storage.store(frame, target) as Promise<Answer<Bytes>>);
  }

  remove(key: ContentKey, location: string): Promise<Answer<void>> {
    return this.give((storage) => storage.remove(key, location) as Promise<Answer<void>>);
  }

  /** Gives work to whoever has least. */
  private async give<T>(work: (storage: Comlink.Remote<FrameStorage>) => Promise<T>): Promise<T> {
    const member = this.members.reduce((least, other) => (other.busy < least.busy ? other : least));
    member.busy++;
    try {
      return await work(member.storage);
    } finally {
      member.busy--;
    }
  }
}
