import * as Comlink from "comlink";
import type { Bytes, ContentKey } from "@kinetocache/core";
import type { Answer, FetchedPicture, FrameStorage, Listing, OutgoingFrame, Target } from "./frameStorage";

/** A storage that lives in a worker. */
export class WorkerStorage<T extends FrameStorage> implements FrameStorage {
  /** What it can do beside. */
  readonly remote: Comlink.Remote<T>;
  private readonly storage: Comlink.Remote<FrameStorage>;

  constructor(worker: Worker) {
    this.remote = Comlink.wrap<T>(worker);
    this.storage = this.remote as unknown as Comlink.Remote<FrameStorage>;
  }

  list(): Promise<Answer<Listing>> {
    return this.storage.list() as Promise<Answer<Listing>>;
  }

  fetch(key: ContentKey, spare?: Uint8Array<ArrayBuffer>): Promise<Answer<FetchedPicture>> {
    const travelling = spare && Comlink.transfer(spare, [spare.buffer]);
    return this.storage.fetch(key, travelling) as Promise<Answer<FetchedPicture>>;
  }

  store(frame: OutgoingFrame, target: Target): Promise<Answer<Bytes>> {
    return this.storage.store(frame, target) as Promise<Answer<Bytes>>;
  }

  remove(key: ContentKey, location: string): Promise<Answer<void>> {
    return this.storage.remove(key, location) as Promise<Answer<void>>;
  }
}
