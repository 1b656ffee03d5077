import type { ClipAsset, DecodeDevice, FrameNumber, Pixels8 } from "@kinetocache/core";
import { BufferSource, EncodedPacketSink, Input, MP4, WEBM, type EncodedPacket } from "mediabunny";
import { DecodeError } from "./decodeError";

// Packets that wait in the decoder: enough that it does not idle, few enough that a jump wastes little.
const QUEUED = 4;

/** Decodes one clip, best in the order of its frames; a jump goes back to the key frame before. One frame at a time. */
export class ClipDecoder {
  private decoder: VideoDecoder | undefined;
  /** Frames that came out, by number. */
  private readonly ready = new Map<FrameNumber, VideoFrame>();
  /** Packet of the key frame from which each frame can be reached. */
  private readonly keys = new Map<FrameNumber, number>();
  /** Packet that is fed next, and number of the last frame that came out. */
  private next = 0;
  private last: FrameNumber = -1;
  private isFlushed = false;
  private failure: DecodeError | undefined;
  /** Called when something may have come out. */
  private wake: () => void = () => undefined;

  /** @param packets in the order in which they are decoded, which for clips that skip back is not that of frames */
  private constructor(
    private readonly clip: ClipAsset,
    private readonly packets: readonly EncodedPacket[],
    private readonly config: VideoDecoderConfig,
  ) {
    const inOrder = packets.map((packet, index) => ({ index, number: this.numberOf(packet), type: packet.type }));
    let key: number | undefined;
    for (const { index, number, type } of inOrder.sort((a, b) => a.number - b.number)) {
      if (type === "key") key = index;
      if (key !== undefined) this.keys.set(number, key);
    }
  }

  /** @throws DecodeError when the file holds no video, or the device does not decode it */
  static async open(clip: ClipAsset, on: DecodeDevice): Promise<ClipDecoder> {
    const bytes = Uint8Array.from(atob(clip.base64), (character) => character.charCodeAt(0));
    const input = new Input({ source: new BufferSource(bytes), formats: [WEBM, MP4] });
    const track = await input.getPrimaryVideoTrack().catch((cause: Error) => {
      throw new DecodeError(`The clip is no WebM or MP4 file: ${cause.message}`, { cause });
    });
    const found = await track?.getDecoderConfig();
    if (!track || !found) throw new DecodeError("The clip holds no video that a browser knows");
    const config: VideoDecoderConfig = {
      ...found,
      hardwareAcceleration: on === "graphics" ? "prefer-hardware" : "prefer-software",
      optimizeForLatency: true,
    };
    const { supported } = await VideoDecoder.isConfigSupported(config);
    if (!supported)
      throw new DecodeError(
        on === "graphics"
          ? `No graphics device here decodes ${found.codec}`
          : `The browser does not decode ${found.codec}`,
      );
    const packets: EncodedPacket[] = [];
    for await (const packet of new EncodedPacketSink(track).packets()) packets.push(packet);
    return new ClipDecoder(clip, packets, config);
  }

  close(): void {
    for (const frame of this.ready.values()) frame.close();
    this.ready.clear();
    if (this.decoder && this.decoder.state !== "closed") this.decoder.close();
    this.decoder = undefined;
  }

  /**
   * Straight sRGB pixels of a frame.
   * @returns also whether it had to start anew at a key frame, and did not just go on
   * @throws DecodeError
   */
  async frame(number: FrameNumber): Promise<{ readonly pixels: Pixels8; readonly jumped: boolean }> {
    let jumped = false;
    if (!this.ready.has(number)) {
      const key = this.keyBefore(number);
      if (!this.isOnTheWay(number, key)) {
        this.jump(key);
        jumped = true;
      }
      await this.run(number);
    }
    const frame = this.ready.get(number)!;
    const { displayWidth: width, displayHeight: height } = frame;
    const data = new Uint8Array(width * height * 4);
    // The conversion to RGBA is newer than the type library.
    await frame.copyTo(data, { format: "RGBA", colorSpace: "srgb" } as VideoFrameCopyToOptions);
    this.forgetBefore(number);
    return { pixels: { width, height, data }, jumped };
  }

  /** Packet of the last key frame up to a frame. @throws DecodeError when the clip has no such frame */
  private keyBefore(number: FrameNumber): number {
    const key = this.keys.get(number);
    if (key === undefined) throw new DecodeError(`The clip has no frame ${number}`);
    return key;
  }

  /** Whether going on from here brings the frame, with no key frame before it to start from. */
  private isOnTheWay(number: FrameNumber, key: number): boolean {
    return this.decoder?.state === "configured" && !this.isFlushed && number > this.last && key <= this.next;
  }

  private jump(key: number): void {
    this.close();
    this.failure = undefined;
    this.isFlushed = false;
    this.next = key;
    this.last = -1;
    const decoder = new VideoDecoder({
      output: (frame) => this.take(frame),
      error: (cause) => {
        this.failure = new DecodeError(`The clip could not be decoded: ${cause.message}`, { cause });
        this.wake();
      },
    });
    decoder.ondequeue = () => this.wake();
    decoder.configure(this.config);
    this.decoder = decoder;
  }

  /** Feeds packets until the frame has come out; the decoder then works ahead on those that are still with it. */
  private async run(number: FrameNumber): Promise<void> {
    const decoder = this.decoder!;
    while (!this.ready.has(number)) {
      if (this.failure) throw this.failure;
      const isOver = this.next === this.packets.length;
      if (!isOver && decoder.decodeQueueSize < QUEUED) decoder.decode(this.packets[this.next++]!.toEncodedVideoChunk());
      else if (!isOver) await new Promise<void>((resolve) => (this.wake = resolve));
      else {
        if (this.isFlushed) throw new DecodeError(`The clip has no frame ${number}`);
        this.isFlushed = true;
        await decoder.flush();
      }
    }
  }

  private take(frame: VideoFrame): void {
    const number = this.numberOf({ timestamp: frame.timestamp / 1e6 });
    this.ready.get(number)?.close();
    this.ready.set(number, frame);
    this.last = Math.max(this.last, number);
    this.wake();
  }

  private forgetBefore(number: FrameNumber): void {
    for (const [known, frame] of this.ready) {
      if (known >= number) continue;
      frame.close();
      this.ready.delete(known);
    }
  }

  private numberOf({ timestamp }: Pick<EncodedPacket, "timestamp">): FrameNumber {
    const { numerator, denominator } = this.clip.rate;
    return Math.round((timestamp * numerator) / denominator);
  }
}
