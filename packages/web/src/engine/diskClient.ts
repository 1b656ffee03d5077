import { formatFor, pamHeader, readFrame, writeFrame, type Bytes, type ContentKey, type Depth, type Milliseconds } from "@kinetocache/core";

/** Pixels of a finished frame as memory and viewer hold them. */
export interface HeldPicture {
  readonly width: number;
  readonly height: number;
  readonly depth: Depth;
  /** May be a view that starts after a file header. */
  readonly pixels: Uint8Array<ArrayBuffer>;
}

/** The server did not answer at all. */
export class DiskUnreachable extends Error {}

/** The server refused; `code` is that of its problem details. */
export class DiskRefused extends Error {
  constructor(
    readonly code: string,
    detail: string,
  ) {
    super(detail);
  }
}

/** Measures bytes a second over the last transfers. */
class Rate {
  private bytes = 0;
  private ms = 0;

  add(bytes: Bytes, ms: Milliseconds): void {
    // Half of what was before: about the last few transfers count.
    this.bytes = this.bytes * 0.8 + bytes;
    this.ms = this.ms * 0.8 + ms;
  }

  get perSecond(): number | undefined {
    return this.ms > 0 ? (this.bytes * 1000) / this.ms : undefined;
  }
}

/** Frames to and from the server's disk cache. */
export class DiskClient {
  private readonly reads = new Rate();
  private readonly writes = new Rate();
  private packed = false;

  get readRate(): number | undefined {
    return this.reads.perSecond;
  }

  get writeRate(): number | undefined {
    return this.writes.perSecond;
  }

  /** Keys of all frames on disk. @throws DiskUnreachable, DiskRefused */
  async list(): Promise<ContentKey[]> {
    const volume = await ask("/api/volume");
    this.packed = ((await volume.json()) as { packed: boolean }).packed;
    return (await (await ask("/api/volume/keys")).json()) as ContentKey[];
  }

  /** @throws DiskUnreachable, DiskRefused, FormatError */
  async fetch(key: ContentKey): Promise<HeldPicture & { readonly bytes: Bytes }> {
    const start = performance.now();
    const response = await ask(`/api/volume/frames/${key}`);
    const file = await response.arrayBuffer().catch((cause: unknown) => {
      throw new DiskUnreachable("The server stopped while a frame was read", { cause });
    });
    const picture = readFrame(new Uint8Array(file));
    this.reads.add(file.byteLength, performance.now() - start);
    return { ...picture, pixels: picture.pixels as Uint8Array<ArrayBuffer>, bytes: file.byteLength };
  }

  /** @throws DiskUnreachable, DiskRefused */
  async store(key: ContentKey, owner: string, picture: HeldPicture, costMs: Milliseconds): Promise<void> {
    const start = performance.now();
    const format = formatFor(picture.depth, this.packed);
    // PAM is its header and the pixels as they are: nothing is copied to make the body. Bodies are blobs
    // because the browser sends those ten times as fast as typed arrays.
    const parts =
      format === "pam"
        ? [pamHeader(picture.width, picture.height), picture.pixels]
        : [writeFrame(picture, format)];
    const body = new Blob(parts as Uint8Array<ArrayBuffer>[]);
    const query = new URLSearchParams({ owner, format, costMs: String(costMs) });
    await ask(`/api/volume/frames/${key}?${query.toString()}`, { method: "PUT", body });
    this.writes.add(body.size, performance.now() - start);
  }
}

async function ask(path: string, init?: RequestInit): Promise<Response> {
  const response = await fetch(path, init).catch((cause: unknown) => {
    throw new DiskUnreachable("The server does not answer", { cause });
  });
  if (response.ok) return response;
  const problem = (await response.json().catch(() => ({}))) as { title?: string; detail?: string };
  throw new DiskRefused(problem.title ?? String(response.status), problem.detail ?? response.statusText);
}
