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

/** Pixels of a finished frame as memory and viewer hold them. */
export interface HeldPicture {
  readonly width: number;
  readonly height: number;
  readonly depth: Depth;
  /** May be a view that starts after a file header. */
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
      const file = await response.arrayBuffer().catch(() => {
        throw new Failed({ kind: "unreachable", detail: "The server stopped while a frame was read" });
      });
      const picture = readFrame(new Uint8Array(file));
      return { ...picture, pixels: picture.pixels as Uint8Array<ArrayBuffer>, bytes: file.byteLength };
    });
  }

  /** @returns the size of the file */
  async store(key: ContentKey, owner: string, picture: HeldPicture, costMs: Milliseconds): Promise<Answer<Bytes>> {
    return answer(async () => {
      const format = formatFor(picture.depth, this.packed);
      // PAM is its header and the pixels as they are: nothing is copied to make the body. Bodies are blobs
      // because the browser sends those ten times as fast as typed arrays.
      const parts =
        format === "pam" ? [pamHeader(picture.width, picture.height), picture.pixels] : [writeFrame(picture, format)];
      const body = new Blob(parts as Uint8Array<ArrayBuffer>[]);
      const query = new URLSearchParams({ owner, format, costMs: String(costMs) });
      await ask(`/api/volume/frames/${key}?${query.toString()}`, { method: "PUT", body });
      return body.size;
    });
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
