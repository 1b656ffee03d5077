import type { Bytes, ContentKey, Depth, LocationSettings, Milliseconds } from "@kinetocache/core";

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
  /** The location that it came from. */
  readonly location: string;
  /** Document that it belongs to, and what rendering it took. */
  readonly owner: string;
  readonly costMs: Milliseconds;
}

export interface Failure {
  /** The location does not answer at all; it refused; or the file is not what it should be. */
  readonly kind: "unreachable" | "refused" | "damaged";
  /** Of a refusal: the code in its problem details. */
  readonly code?: string;
  readonly detail: string;
}

/** What came of a request. Plain data: it travels from one worker to another. */
export type Answer<T> = { readonly ok: true; readonly value: T } | { readonly ok: false; readonly failure: Failure };

/** A location that takes frames, and how it wants them. */
export interface Target extends Pick<LocationSettings, "packing" | "deepest"> {
  readonly location: string;
}

/** What is on disk. */
export interface Listing {
  /** Keys of all frames by location, each with what rendering it took. */
  readonly frames: readonly {
    readonly location: string;
    readonly frames: readonly (readonly [ContentKey, Milliseconds])[];
  }[];
  /** Locations that can be written to now. */
  readonly targets: readonly Target[];
}

/** A frame on its way to disk. */
export interface OutgoingFrame {
  readonly key: ContentKey;
  /** Document that it belongs to. */
  readonly owner: string;
  readonly costMs: Milliseconds;
  readonly picture: HeldPicture;
}

/** Frames to and from a tier on disk. Nothing it does throws. */
export interface FrameStorage {
  list(): Promise<Answer<Listing>>;
  /** @param spare a buffer that may be used for the pixels; it is gone afterwards */
  fetch(key: ContentKey, spare?: Uint8Array<ArrayBuffer>): Promise<Answer<FetchedPicture>>;
  /** @returns the size of the file */
  store(frame: OutgoingFrame, target: Target): Promise<Answer<Bytes>>;
  remove(key: ContentKey, location: string): Promise<Answer<void>>;
}

/** A request that failed in a known way. */
export class Failed extends Error {
  constructor(readonly failure: Failure) {
    super(failure.detail);
  }
}

/** Runs a request; what it throws becomes its answer. */
export async function answer<T>(work: () => Promise<T> | T): Promise<Answer<T>> {
  try {
    return { ok: true, value: await work() };
  } catch (error) {
    const detail = error instanceof Error ? error.message : String(error);
    return { ok: false, failure: error instanceof Failed ? error.failure : { kind: "damaged", detail } };
  }
}
