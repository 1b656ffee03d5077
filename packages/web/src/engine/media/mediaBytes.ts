import type { Bytes, EmbeddedClip } from "@kinetocache/core";

/** Where the bytes of a file come from: a folder that is registered as source media, as the file was then. */
export interface MediaPlace {
  /** Id of the folder. */
  readonly location: string;
  /** From the folder on. */
  readonly path: string;
  readonly bytes: Bytes;
  readonly modifiedMs: number;
}

/** Places by the fingerprints of files. */
export type MediaPlaces = Readonly<Record<string, MediaPlace>>;

/** A file whose bytes cannot be had. */
export class MediaError extends Error {
  override readonly name = "MediaError";

  constructor(
    message: string,
    /** Whether that is so because the server does not answer. */
    readonly serverGone = false,
  ) {
    super(message);
  }
}

/** A file of which any stretch can be read. */
export interface MediaBytes {
  readonly bytes: Bytes;
  /** From `start` up to `end`, without it. @throws MediaError */
  read(start: Bytes, end: Bytes): Promise<Uint8Array>;
}

/** @throws TypeError where the text is no base64 */
export function embeddedBytes({ base64 }: Pick<EmbeddedClip, "base64">): MediaBytes {
  const all = Uint8Array.from(atob(base64), (character) => character.charCodeAt(0));
  return { bytes: all.length, read: (start, end) => Promise.resolve(all.subarray(start, end)) };
}

/** A file in a registered folder, which the server reads. */
export function bytesAt({ location, path, bytes, modifiedMs }: MediaPlace): MediaBytes {
  const query = new URLSearchParams({ path, bytes: String(bytes), modifiedMs: String(modifiedMs) });
  const target = `/api/media/${encodeURIComponent(location)}?${query.toString()}`;
  return {
    bytes,
    async read(start, end) {
      const headers = { Range: `bytes=${start}-${end - 1}` };
      try {
        const response = await fetch(target, { headers });
        if (!response.ok) throw new MediaError(await reasonOf(response));
        return new Uint8Array(await response.arrayBuffer());
      } catch (error) {
        if (error instanceof MediaError) throw error;
        throw new MediaError("The server does not answer", true);
      }
    },
  };
}

async function reasonOf(response: Response): Promise<string> {
  const { detail } = (await response.json().catch(() => ({}))) as { detail?: string };
  return detail ?? `The server answered ${response.status}`;
}
