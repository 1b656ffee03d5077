import {
  readFrame,
  storedFrameName,
  type ContentKey,
  type Milliseconds,
  type Picture,
  type SourceNode,
  type StoredFrame,
} from "@kinetocache/core";
import type { Kernels } from "@kinetocache/kernels";

/** A stored picture that cannot be drawn. */
export class StoredPictureError extends Error {
  constructor(
    readonly stored: StoredFrame,
    reason: string,
    /** Whether no stored picture can be read: the server is gone. */
    readonly all = false,
  ) {
    super(`Frame ${stored.frame} of a stored sequence: ${reason}`);
    this.name = "StoredPictureError";
  }
}

/** Pictures of bakes and image sequences: they are read before a frame is rendered, and drawn from here. */
export class StoredPictures {
  /** Of the frame that is rendered next. */
  private readonly pictures = new Map<string, Picture>();

  constructor(private readonly kernels: Kernels) {}

  /**
   * Reads what some nodes draw.
   * @returns the time that each took
   * @throws StoredPictureError when one is missing or altered, or the server cannot be reached
   */
  async prepare(nodes: readonly SourceNode[]): Promise<ReadonlyMap<ContentKey, Milliseconds>> {
    this.pictures.clear();
    const took = new Map<ContentKey, Milliseconds>();
    for (const { kind, key, parameters } of nodes) {
      if (kind !== "sequence") continue;
      const start = performance.now();
      const stored = { sequence: String(parameters.sequence), frame: Number(parameters.frame) };
      this.pictures.set(storedFrameName(stored), await this.read(stored));
      took.set(key, performance.now() - start);
    }
    return took;
  }

  /** A picture that was prepared. */
  picture(stored: StoredFrame): Picture {
    const picture = this.pictures.get(storedFrameName(stored));
    if (!picture) throw new StoredPictureError(stored, "it was not read");
    return picture;
  }

  private async read(stored: StoredFrame): Promise<Picture> {
    const response = await fetch(`/api/sequences/${stored.sequence}/frames/${stored.frame}`).catch(() => {
      throw new StoredPictureError(stored, "the server does not answer", true);
    });
    if (!response.ok) {
      const { detail } = (await response.json().catch(() => ({}))) as { detail?: string };
      throw new StoredPictureError(stored, detail ?? `the server answered ${response.status}`);
    }
    const file = new Uint8Array(await response.arrayBuffer());
    try {
      return readFrame(file, undefined, this.kernels);
    } catch (error) {
      throw new StoredPictureError(stored, (error as Error).message);
    }
  }
}
