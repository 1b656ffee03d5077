import type { ContentKey } from "@kinetocache/core";
import * as Comlink from "comlink";
import { DiskClient, type Answer, type FetchedPicture } from "./diskClient";

/** Packing, unpacking and sending happen here, so that they never hold up the engine's clock. */
class TransferringClient extends DiskClient {
  override async fetch(key: ContentKey): Promise<Answer<FetchedPicture>> {
    const fetched = await super.fetch(key);
    return fetched.ok ? Comlink.transfer(fetched, [fetched.value.pixels.buffer]) : fetched;
  }
}

Comlink.expose(new TransferringClient());
