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

/** Bytes a second while at least one transfer was under way, over about the last ten such stretches. */
class Rate {
  private bytes = 0;
  private ms = 0;
  private active = 0;
  private since = 0;

  begin(): void {
    if (this.active++ === 0) this.since = performance.now();
  }

  /** @param bytes what was transferred; 0 when the transfer failed */
  end(bytes: Bytes): void {
    const now = performance.now();
    this.bytes += bytes;
    this.ms += now - this.since;
    this.since = now;
    if (--this.active > 0) return;
    this.bytes *= FADE;
    this.ms *= FADE;
  }

  get perSecond(): number | undefined {
    return this.bytes > 0 ? (this.bytes * 1000) / this.ms : undefined;
  }
}

const FADE = 0.9;

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

  /** Keys of all frames on disk, each with what rendering it took. @throws DiskUnreachable, DiskRefused */
  async list(): Promise<[ContentKey, Milliseconds][]> {
    const volume = await ask("/api/volume");
    this.packed = ((await volume.json()) as { packed: boolean }).packed;
    return (await (await ask("/api/volume/keys")).json()) as [ContentKey, Milliseconds][];
  }

  /** @throws DiskUnreachable, DiskRefused, FormatError */
  async fetch(key: ContentKey): Promise<HeldPicture & { readonly bytes: Bytes }> {
    this.reads.begin();
    let bytes = 0;
    try {
      const response = await ask(`/api/volume/frames/${key}`);
      const file = await response.arrayBuffer().catch((cause: unknown) => {
        throw new DiskUnreachable("The server stopped while a frame was read", { cause });
      });
      bytes = file.byteLength;
      const picture = readFrame(new Uint8Array(file));
      return { ...picture, pixels: picture.pixels as Uint8Array<ArrayBuffer>, bytes };
    } finally {
      this.reads.end(bytes);
    }
  }

  /** @throws DiskUnreachable, DiskRefused */
  async store(key: ContentKey, owner: string, picture: HeldPicture, costMs: Milliseconds): Promise<void> {
    const format = formatFor(picture.depth, this.packed);
    // PAM is its header and the pixels as they are: nothing is copied to make the body. Bodies are blobs
    // because the browser sends those ten times as fast as typed arrays.
    const parts =
      format === "pam" ? [pamHeader(picture.width, picture.height), picture.pixels] : [writeFrame(picture, format)];
    const body = new Blob(parts as Uint8Array<ArrayBuffer>[]);
    const query = new URLSearchParams({ owner, format, costMs: String(costMs) });
    this.writes.begin();
    let bytes = 0;
    try {
      await ask(`/api/volume/frames/${key}?${query.toString()}`, { method: "PUT", body });
      bytes = body.size;
    } finally {
      this.writes.end(bytes);
    }
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
