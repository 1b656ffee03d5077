import type { Bytes, ContentKey, LocationCondition, LocationSettings, Milliseconds } from "@kinetocache/core";
import type { FrameCodec } from "./frameCodec";
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
import { free, SpareBuffers } from "./spareBuffers";
import { WayRate } from "./wayRate";

interface ListedLocation {
  readonly id: string;
  readonly condition: LocationCondition;
  readonly volume?: LocationSettings;
}

/** Frames to and from the folders that the server keeps. */
export class DiskClient implements FrameStorage {
  private readonly spares = new SpareBuffers();
  private readonly ways = new Map<string, WayRate>();

  constructor(private readonly codec: FrameCodec) {}

  async list(): Promise<Answer<Listing>> {
    return answer(async () => {
      const [locations, frames] = await Promise.all([
        ask("/api/locations").then((response) => response.json() as Promise<ListedLocation[]>),
        ask("/api/frames").then((response) => response.json() as Promise<Listing["frames"]>),
      ]);
      const targets = locations.flatMap(({ id, volume }) =>
        volume ? [{ location: id, packing: volume.packing, deepest: volume.deepest }] : [],
      );
      return { frames, targets };
    });
  }

  async fetch(key: ContentKey, spare?: Uint8Array<ArrayBuffer>): Promise<Answer<FetchedPicture>> {
    return answer(async () => {
      const start = performance.now();
      const response = await ask(`/api/frames/${key}`);
      const file = await this.receive(response).catch(() => {
        throw new Failed({ kind: "unreachable", detail: "The server stopped while a frame was read" });
      });
      const location = response.headers.get("x-location") ?? "";
      this.wayFrom(location).note(file.byteLength, performance.now() - start);
      try {
        return { ...this.codec.decode(file, spare), bytes: file.byteLength, location, ...aboutOf(response) };
      } finally {
        this.spares.giveBack(file.buffer);
      }
    });
  }

  private wayFrom(location: string): WayRate {
    const known = this.ways.get(location) ?? new WayRate();
    this.ways.set(location, known);
    return known;
  }

  private async receive(response: Response): Promise<Uint8Array<ArrayBuffer>> {
    const size = Number(response.headers.get("content-length"));
    const reader = response.body!.getReader({ mode: "byob" });
    let buffer = this.spares.take(size);
    let received = 0;
    while (received < size) {
      // The buffer travels: what comes back is the same memory under another name.
      const { value } = await reader.read(new Uint8Array(buffer, received, size - received));
      if (!value || value.byteLength === 0) throw new Error("The body ended early");
      buffer = value.buffer;
      received += value.byteLength;
    }
    return new Uint8Array(buffer, 0, size);
  }

  async store({ key, owner, costMs, picture }: OutgoingFrame, target: Target): Promise<Answer<Bytes>> {
    const { location } = target;
    const stored = await answer(async () => {
      const { format, parts, bytes } = this.codec.encode(picture, target, this.wayFrom(location).perSecond);
      const query = new URLSearchParams({ owner, format, costMs: String(costMs) });
      const path = `/api/locations/${location}/frames/${key}?${query.toString()}`;
      const body = this.blobOf(parts);
      // The blob has its own copy; what was packed is nobody's any more.
      for (const part of parts) if (part !== picture.pixels) free(part.buffer as ArrayBuffer);
      await ask(path, { method: "PUT", body });
      return bytes;
    });
    // Packing cannot be chosen before it is known what the way carries.
    if (stored.ok && target.packing === "automatic" && this.wayFrom(location).perSecond === undefined)
      await this.fetch(key);
    return stored;
  }

  async remove(key: ContentKey, location: string): Promise<Answer<void>> {
    return answer(async () => {
      await ask(`/api/locations/${location}/frames/${key}`, { method: "DELETE" });
    });
  }

  /**
   * Bodies are blobs because the browser sends those ten times as fast as typed arrays; a blob takes no buffer that
   * can be resized, hence the copy.
   */
  private blobOf(parts: readonly Uint8Array[]): Blob {
    const borrowed: ArrayBuffer[] = [];
    const plain = parts.map((part) => {
      if (!(part.buffer as ArrayBuffer).resizable) return part;
      const buffer = this.spares.take(part.byteLength);
      borrowed.push(buffer);
      const copy = new Uint8Array(buffer, 0, part.byteLength);
      copy.set(part);
      return copy;
    });
    const blob = new Blob(plain as BlobPart[]);
    borrowed.forEach((buffer) => this.spares.giveBack(buffer));
    return blob;
  }
}

/** What else the server says of a frame. */
function aboutOf({ headers }: Response): { readonly owner: string; readonly costMs: Milliseconds } {
  return { owner: headers.get("x-owner") ?? "", costMs: Number(headers.get("x-cost-ms")) };
}

async function ask(path: string, init?: RequestInit): Promise<Response> {
  const response = await fetch(path, init).catch(() => {
    throw new Failed({ kind: "unreachable", detail: "The server does not answer" });
  });
  if (response.ok) return response;
  const problem = (await response.json().catch(() => ({}))) as { title?: string; detail?: string };
  throw new Failed({
    kind: "refused",
    code: problem.title ?? String(response.status),
    detail: problem.detail ?? response.statusText,
  });
}
