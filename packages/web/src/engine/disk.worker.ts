import type { Bytes, ContentKey, Milliseconds } from "@kinetocache/core";
import * as Comlink from "comlink";
import { DiskClient, type Answer, type FetchedPicture, type HeldPicture } from "./diskClient";
import { releasePixels } from "./pixels";

/** Packing, unpacking and sending happen here, so that they never hold up the engine's clock. */
class TransferringClient extends DiskClient {
  override async fetch(key: ContentKey): Promise<Answer<FetchedPicture>> {
    const fetched = await super.fetch(key);
    return fetched.ok ? Comlink.transfer(fetched, [fetched.value.pixels.buffer]) : fetched;
  }

  override async store(
    key: ContentKey,
    owner: string,
    picture: HeldPicture,
    costMs: Milliseconds,
  ): Promise<Answer<Bytes>> {
    const stored = await super.store(key, owner, picture, costMs);
    // It is a copy of what the engine holds.
    releasePixels(picture.pixels);
    return stored;
  }
}

Comlink.expose(new TransferringClient());
