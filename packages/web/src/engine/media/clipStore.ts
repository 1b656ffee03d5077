import type {
  Asset,
  ClipAsset,
  ContentKey,
  DecodeDevice,
  FrameNumber,
  Milliseconds,
  Pixels8,
  SourceNode,
} from "@kinetocache/core";
import { dequal } from "dequal";
import type { ClipDecoder } from "./clipDecoder";
import { DecodeError } from "./decodeError";
import { bytesAt, embeddedBytes, MediaError, type MediaBytes, type MediaPlaces } from "./mediaBytes";

/** A file that is left out, as its pictures cannot be had. */
export class LostMediaError extends Error {
  override readonly name = "LostMediaError";

  constructor(
    readonly fingerprint: string,
    reason: string,
    /** Whether none can be had that the server reads. */
    readonly serverGone: boolean,
  ) {
    super(reason);
  }
}

/** What names a clip's pictures by their numbers, which follow its rate. */
const contentOf = ({ file, base64, rate }: ClipAsset): string =>
  file ? `${file.fingerprint} ${rate.numerator}/${rate.denominator}` : base64!;

/** The clips of the open document: their frames are decoded before a frame is rendered, and drawn from here. */
export class ClipStore {
  private readonly decoders = new Map<string, Promise<ClipDecoder>>();
  /** Of the frame that is rendered next, by clip and number. */
  private readonly frames = new Map<string, Map<FrameNumber, Pixels8>>();
  private places: MediaPlaces = {};
  private chosen: DecodeDevice = "processor";
  /** What decodes: what was chosen, unless it failed. */
  private on: DecodeDevice = "processor";
  /** Why the processor decodes although a graphics device was chosen. */
  private fault: string | undefined;

  get graphicsFault(): string | undefined {
    return this.fault;
  }

  /** What decodes from the next frame on. */
  setDevice(on: DecodeDevice): void {
    if (on === this.chosen) return;
    this.chosen = on;
    this.on = on;
    this.fault = undefined;
    this.closeAll();
  }

  /** Where files lie, from the next frame on. */
  setPlaces(places: MediaPlaces): void {
    for (const [content, decoder] of this.decoders) {
      const [fingerprint] = content.split(" ", 1) as [string];
      if (!dequal(places[fingerprint], this.places[fingerprint])) this.drop(content, decoder);
    }
    this.places = places;
  }

  /** Decoders of clips that are not among these are closed. */
  keep(assets: Readonly<Record<string, Asset>>): void {
    const wanted = new Set(Object.values(assets).flatMap((asset) => (asset.kind === "clip" ? [contentOf(asset)] : [])));
    for (const [clip, decoder] of this.decoders) if (!wanted.has(clip)) this.drop(clip, decoder);
  }

  /**
   * Decodes what some nodes draw.
   * @returns the time that each took, or undefined for one that needed a jump: what that takes says more of the jump
   * than of the frame
   * @throws DecodeError, LostMediaError
   */
  async prepare(
    nodes: readonly SourceNode[],
    assets: Readonly<Record<string, Asset>>,
  ): Promise<ReadonlyMap<ContentKey, Milliseconds | undefined>> {
    this.frames.clear();
    const took = new Map<ContentKey, Milliseconds | undefined>();
    for (const { key, parameters } of nodes) {
      const start = performance.now();
      const clip = assets[parameters.asset as string];
      const number = Number(parameters.frame);
      if (clip?.kind !== "clip") continue;
      const { pixels, jumped } = await this.decode(clip, number);
      this.put(clip, number, pixels);
      took.set(key, jumped ? undefined : performance.now() - start);
    }
    return took;
  }

  /** A frame that was prepared. */
  frame(clip: ClipAsset, number: FrameNumber): Pixels8 {
    const pixels = this.frames.get(contentOf(clip))?.get(number);
    if (!pixels) throw new DecodeError(`Frame ${number} of a clip was not decoded`);
    return pixels;
  }

  private put(clip: ClipAsset, number: FrameNumber, pixels: Pixels8): void {
    const frames = this.frames.get(contentOf(clip)) ?? new Map<FrameNumber, Pixels8>();
    frames.set(number, pixels);
    this.frames.set(contentOf(clip), frames);
  }

  private async decode(clip: ClipAsset, number: FrameNumber): ReturnType<ClipDecoder["frame"]> {
    try {
      const decoder = await this.opened(clip);
      return await decoder.frame(number);
    } catch (error) {
      if (this.on === "graphics" && error instanceof DecodeError) {
        // What the graphics device does not decode, the processor does, and it is said.
        this.on = "processor";
        this.fault = error.message;
        this.closeAll();
        return this.decode(clip, number);
      }
      if (!(error instanceof MediaError) || !clip.file) throw error;
      // Whatever is wrong with it now may be put right by the time that it is asked for again.
      const decoder = this.decoders.get(contentOf(clip));
      if (decoder) this.drop(contentOf(clip), decoder);
      throw new LostMediaError(clip.file.fingerprint, error.message, error.serverGone);
    }
  }

  /** @throws DecodeError, MediaError; LostMediaError for a file of which nothing can be decoded here */
  private async opened(clip: ClipAsset): Promise<ClipDecoder> {
    try {
      return await this.decoderOf(clip, this.on);
    } catch (error) {
      if (this.on === "graphics" || !clip.file || !(error instanceof DecodeError)) throw error;
      this.decoders.delete(contentOf(clip));
      throw new LostMediaError(clip.file.fingerprint, error.message, false);
    }
  }

  private decoderOf(clip: ClipAsset, on: DecodeDevice): Promise<ClipDecoder> {
    const content = contentOf(clip);
    const known = this.decoders.get(content);
    if (known) return known;
    // Most compositions have no clips, and the readers of their containers are half of a render worker.
    const loaded = import("./clipDecoder").catch((error: unknown) => {
      // The server may be back when the next frame comes.
      this.decoders.delete(content);
      throw error;
    });
    const opened = loaded.then(({ ClipDecoder }) => ClipDecoder.open(this.bytesOf(clip), clip.rate, on));
    this.decoders.set(content, opened);
    return opened;
  }

  /** @throws MediaError for a file of which nobody knows where it is */
  private bytesOf(clip: ClipAsset): MediaBytes {
    if (!clip.file) return embeddedBytes(clip);
    const place = this.places[clip.file.fingerprint];
    if (!place) throw new MediaError(`${clip.file.name} was not found`);
    return bytesAt(place);
  }

  private closeAll(): void {
    for (const [content, decoder] of this.decoders) this.drop(content, decoder);
  }

  private drop(content: string, decoder: Promise<ClipDecoder>): void {
    this.decoders.delete(content);
    // One that never opened has nothing to close; whoever asked for it was told.
    decoder.then((opened) => opened.close()).catch(() => undefined);
  }
}
