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
import type { ClipDecoder } from "./clipDecoder";
import { DecodeError } from "./decodeError";

/** The clips of the open document: their frames are decoded before a frame is rendered, and drawn from here. */
export class ClipStore {
  private readonly decoders = new Map<string, Promise<ClipDecoder>>();
  /** Of the frame that is rendered next, by clip and number. */
  private readonly frames = new Map<ClipAsset["base64"], Map<FrameNumber, Pixels8>>();
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

  /** Decoders of clips that are not among these are closed. */
  keep(assets: Readonly<Record<string, Asset>>): void {
    const wanted = new Set(Object.values(assets).flatMap((asset) => (asset.kind === "clip" ? [asset.base64] : [])));
    for (const [clip, decoder] of this.decoders) if (!wanted.has(clip)) this.drop(clip, decoder);
  }

  /**
   * Decodes what some nodes draw.
   * @returns the time that each took, or undefined for one that needed a jump: what that takes says more of the jump
   * than of the frame
   * @throws DecodeError
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
    const pixels = this.frames.get(clip.base64)?.get(number);
    if (!pixels) throw new DecodeError(`Frame ${number} of a clip was not decoded`);
    return pixels;
  }

  private put({ base64 }: ClipAsset, number: FrameNumber, pixels: Pixels8): void {
    const frames = this.frames.get(base64) ?? new Map<FrameNumber, Pixels8>();
    frames.set(number, pixels);
    this.frames.set(base64, frames);
  }

  private async decode(clip: ClipAsset, number: FrameNumber): ReturnType<ClipDecoder["frame"]> {
    try {
      return await (await this.decoderOf(clip, this.on)).frame(number);
    } catch (error) {
      if (this.on === "processor" || !(error instanceof DecodeError)) throw error;
      // What the graphics device does not decode, the processor does, and it is said.
      this.on = "processor";
      this.fault = error.message;
      this.closeAll();
      return (await this.decoderOf(clip, this.on)).frame(number);
    }
  }

  private decoderOf(clip: ClipAsset, on: DecodeDevice): Promise<ClipDecoder> {
    const known = this.decoders.get(clip.base64);
    if (known) return known;
    // Most compositions have no clips, and the readers of their containers are half of a render worker.
    const loaded = import("./clipDecoder").catch((error: unknown) => {
      // The server may be back when the next frame comes.
      this.decoders.delete(clip.base64);
      throw error;
    });
    const opened = loaded.then(({ ClipDecoder }) => ClipDecoder.open(clip, on));
    this.decoders.set(clip.base64, opened);
    return opened;
  }

  private closeAll(): void {
    for (const [clip, decoder] of this.decoders) this.drop(clip, decoder);
  }

  private drop(clip: string, decoder: Promise<ClipDecoder>): void {
    this.decoders.delete(clip);
    // One that never opened has nothing to close; whoever asked for it was told.
    decoder.then((opened) => opened.close()).catch(() => undefined);
  }
}
