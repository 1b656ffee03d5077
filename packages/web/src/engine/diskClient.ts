import {
  formatFor,
  pamHeader,
  readFrame,
  writeFrame,
  type Bytes,
  type ContentKey,
  type Depth,
  type Milliseconds,
} from "@kinetocache/core";
import { copyPixels } from "./pixels";

/** Pixels of a finished frame as memory and viewer hold them. */
export interface HeldPicture {
  readonly width: number;
  readonly height: number;
  readonly depth: Depth;
  /** In a buffer of their own that can be resized; see `newPixels`. */
  readonly pixels: Uint8Array<ArrayBuffer>;
}

/** A frame as it came from disk. */
export interface FetchedPicture extends HeldPicture {
  /** Size of its file. */
  readonly bytes: Bytes;
}

export interface Failure {
  /** The server did not answer at all; it refused; or the file is not what it should be. */
  readonly kind: "unreachable" | "refused" | "damaged";
  /** Of a refusal: the code in its problem details. */
  readonly code?: string;
  readonly detail: string;
}

/** What came of a request. Plain data: it travels from one worker to another. */
export type Answer<T> = { readonly ok: true; readonly value: T } | { readonly ok: false; readonly failure: Failure };

/** Frames to and from the server's disk cache. Nothing it does throws. */
export class DiskClient {
  private packed = false;
  private readonly spares = new SpareBuffers();

  /** Keys of all frames on disk, each with what rendering it took. */
  async list(): Promise<Answer<[ContentKey, Milliseconds][]>> {
    return answer(async () => {
      const volume = await ask("/api/volume");
      this.packed = ((await volume.json()) as { packed: boolean }).packed;
      return (await (await ask("/api/volume/keys")).json()) as [ContentKey, Milliseconds][];
    });
  }

  async fetch(key: ContentKey): Promise<Answer<FetchedPicture>> {
    return answer(async () => {
      const response = await ask(`/api/volume/frames/${key}`);
      const file = await this.receive(response).catch(() => {
        throw new Failed({ kind: "unreachable", detail: "The server stopped while a frame was read" });
      });
      try {
        const picture = readFrame(file);
        return { ...picture, pixels: copyPixels(picture.pixels), bytes: file.byteLength };
      } finally {
        this.spares.giveBack(file.buffer);
      }
    });
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

  /** @returns the size of the file */
  async store(key: ContentKey, owner: string, picture: HeldPicture, costMs: Milliseconds): Promise<Answer<Bytes>> {
    return answer(async () => {
      const format = formatFor(picture.depth, this.packed);
      const body = format === "pam" ? this.pamBlob(picture) : new Blob([writeFrame(picture, format) as BlobPart]);
      const query = new URLSearchParams({ owner, format, costMs: String(costMs) });
      await ask(`/api/volume/frames/${key}?${query.toString()}`, { method: "PUT", body });
      return body.size;
    });
  }

  /**
   * PAM is its header and the pixels as they are. Bodies are blobs because the browser sends those ten times as
   * fast as typed arrays; a blob takes no buffer that can be resized, hence the copy.
   */
  private pamBlob({ width, height, pixels }: HeldPicture): Blob {
    const buffer = this.spares.take(pixels.byteLength);
    const copy = new Uint8Array(buffer, 0, pixels.byteLength);
    copy.set(pixels);
    const blob = new Blob([pamHeader(width, height) as BlobPart, copy]);
    this.spares.giveBack(buffer);
    return blob;
  }
}

/**
 * Buffers that serve one file after the other. With a new one for each, hundreds of megabytes would wait for the
 * browser's collector.
 */
class SpareBuffers {
  private spares: ArrayBuffer[] = [];

  /** A buffer of at least `size` bytes. */
  take(size: Bytes): ArrayBuffer {
    const spare = this.spares.pop();
    const fits = spare && spare.byteLength >= size && spare.byteLength <= 2 * size;
    return fits ? spare : new ArrayBuffer(size);
  }

  giveBack(buffer: ArrayBuffer): void {
    this.spares.push(buffer);
  }
}

class Failed extends Error {
  constructor(readonly failure: Failure) {
    super(failure.detail);
  }
}

async function answer<T>(work: () => Promise<T>): Promise<Answer<T>> {
  try {
    return { ok: true, value: await work() };
  } catch (error) {
    const detail = error instanceof Error ? error.message : String(error);
    return { ok: false, failure: error instanceof Failed ? error.failure : { kind: "damaged", detail } };
  }
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
