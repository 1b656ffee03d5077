import * as Comlink from "comlink";
import type { Bytes, ContentKey } from "@kinetocache/core";
import {
  answer,
  Failed,
  type Answer,
  type FetchedPicture,
  type FrameStorage,
  type Listing,
  type OutgoingFrame,
  type Target,
} from "./frameStorage";
import { Helper, type Running } from "./helper";
import { copyPixels } from "./pixels";

interface Remote<T> extends Running {
  readonly remote: Comlink.Remote<T>;
}

/** A storage that lives in a worker. */
export class WorkerStorage<T extends FrameStorage> implements FrameStorage {
  private readonly helper: Helper<Remote<T>>;

  /** @param name what the worker is called when it is said that it ended */
  constructor(name: string, startWorker: () => Worker) {
    this.helper = new Helper(name, startWorker, (running) => ({ ...running, remote: Comlink.wrap<T>(running.worker) }));
    // What a first frame takes to be fetched is what the scheduler goes by.
    this.helper.open();
  }

  list(): Promise<Answer<Listing>> {
    return this.request((storage) => storage.list());
  }

  fetch(key: ContentKey, spare?: Uint8Array<ArrayBuffer>): Promise<Answer<FetchedPicture>> {
    const travelling = spare && Comlink.transfer(spare, [spare.buffer]);
    return this.request((storage) => storage.fetch(key, travelling));
  }

  store(frame: OutgoingFrame, target: Target): Promise<Answer<Bytes>> {
    // A copy that travels: one made on the way would stay, twice, until the browser's collector comes by.
    const pixels = copyPixels(frame.picture.pixels);
    const copy = { ...frame, picture: { ...frame.picture, pixels } };
    return this.request((storage) => storage.store(Comlink.transfer(copy, [pixels.buffer]), target));
  }

  remove(key: ContentKey, location: string): Promise<Answer<void>> {
    return this.request((storage) => storage.remove(key, location));
  }

  /** What it can do beside. @throws Error when the worker ended meanwhile */
  protected ask<R>(work: (remote: Comlink.Remote<T>) => Promise<R>): Promise<R> {
    return this.helper.ask(({ remote }) => work(remote));
  }

  /** A request to the storage; that the worker ended is an answer too, and another one is started with the next. */
  protected async request<R>(work: (storage: T) => Promise<Answer<R>>): Promise<Answer<R>> {
    const answered = await answer(() =>
      this.ask((remote) => work(remote as unknown as T)).catch((error: unknown) => {
        const detail = error instanceof Error ? error.message : String(error);
        throw new Failed({ kind: "unreachable", detail });
      }),
    );
    return answered.ok ? answered.value : answered;
  }
}
