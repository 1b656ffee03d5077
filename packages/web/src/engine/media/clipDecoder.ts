import type { ClipAsset, DecodeDevice, FrameNumber, Pixels8 } from "@kinetocache/core";
import type { EncodedPacket } from "mediabunny";
import { ClipFile } from "./clipFile";
import { DecodeError } from "./decodeError";
import type { MediaBytes } from "./mediaBytes";
import { turned } from "./turned";

// Packets that wait in the decoder: enough that it does not idle, few enough that a jump wastes little.
const QUEUED = 4;
// So far ahead it goes on without a look for a key frame on the way, which would save next to nothing.
const NEAR = 8;

/** Decodes one clip, best in the order of its frames; a jump goes back to the key frame before. One frame at a time. */
export class ClipDecoder {
  private decoder: VideoDecoder | undefined;
  /** Pictures that came out, by the number of the frame at which they are on show. */
  private readonly ready = new Map<FrameNumber, VideoFrame>();
  /** What is fed next, null at the end; and the last number that came out, which they do in order. */
  private next: EncodedPacket | null = null;
  private last: FrameNumber = -1;
  /** Number of the frame after the last picture that was fed. */
  private end: FrameNumber = 0;
  private isFlushed = false;
  private failure: DecodeError | undefined;
  /** Called when something may have come out. */
  private wake: () => void = () => undefined;

  private constructor(
    private readonly file: ClipFile,
    private readonly rate: ClipAsset["rate"],
    private readonly config: VideoDecoderConfig,
  ) {}

  /**
   * @throws DecodeError when the file holds no video, or the device does not decode it; MediaError when it cannot be read
   */
  static async open(bytes: MediaBytes, rate: ClipAsset["rate"], on: DecodeDevice): Promise<ClipDecoder> {
    const file = await ClipFile.open(bytes);
    try {
      return new ClipDecoder(file, rate, await file.decoderOn(on));
    } catch (error) {
      file.close();
      throw error;
    }
  }

  close(): void {
    this.stop();
    this.file.close();
  }

  /**
   * Straight sRGB pixels of what is on show at a frame: the last picture that began by then.
   * @returns also whether it was far from the one before, so that others had to be decoded first
   * @throws DecodeError, MediaError
   */
  async frame(number: FrameNumber): Promise<{ readonly pixels: Pixels8; readonly jumped: boolean }> {
    let jumped = false;
    let shown = this.shownAt(number);
    if (!shown) {
      jumped = await this.goTowards(number);
      shown = await this.run(number);
    }
    const { width, height } = shown.visibleRect!;
    const data = new Uint8Array(width * height * 4);
    // The conversion to RGBA is newer than the type library.
    await shown.copyTo(data, { format: "RGBA", colorSpace: "srgb" } as VideoFrameCopyToOptions);
    this.forgetBefore(number);
    return { pixels: turned({ width, height, data }, this.file.rotation), jumped };
  }

  private stop(): void {
    for (const frame of this.ready.values()) frame.close();
    this.ready.clear();
    if (this.decoder && this.decoder.state !== "closed") this.decoder.close();
    this.decoder = undefined;
  }

  /** The picture on show at a frame, once all up to it have come out. */
  private shownAt(number: FrameNumber): VideoFrame | undefined {
    const exact = this.ready.get(number);
    if (exact || this.last < number) return exact;
    return this.latestBy(number);
  }

  private latestBy(number: FrameNumber): VideoFrame | undefined {
    const before = [...this.ready.keys()].filter((known) => known <= number);
    return before.length > 0 ? this.ready.get(Math.max(...before)) : undefined;
  }

  /**
   * Goes on where that brings the frame, or starts anew at the key frame before it.
   * @returns whether more than the frame's own share is to be decoded for it
   */
  private async goTowards(number: FrameNumber): Promise<boolean> {
    const goesOn = this.decoder?.state === "configured" && !this.isFlushed && number > this.last;
    if (goesOn && number - this.last <= NEAR) return false;
    const key = await this.keyBefore(number);
    if (!goesOn || (this.next !== null && key.sequenceNumber > this.next.sequenceNumber)) this.start(key);
    return true;
  }

  /** The last key frame up to a frame. @throws DecodeError when there is none */
  private async keyBefore(number: FrameNumber): Promise<EncodedPacket> {
    const { numerator, denominator } = this.rate;
    // In the middle of the frame: the container rounds times.
    const seconds = this.file.first + ((number + 0.5) * denominator) / numerator;
    const key = await this.file.reading((packets) => packets.getKeyPacket(seconds));
    if (!key) throw new DecodeError(`The clip has no key frame up to frame ${number}, from which it could be decoded`);
    return key;
  }

  private start(key: EncodedPacket): void {
    this.stop();
    this.failure = undefined;
    this.isFlushed = false;
    this.next = key;
    this.last = -1;
    this.end = 0;
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

  /** Feeds packets until the picture has come out; the decoder then works ahead on those that are still with it. */
  private async run(number: FrameNumber): Promise<VideoFrame> {
    const decoder = this.decoder!;
    for (;;) {
      const shown = this.shownAt(number);
      if (shown) return shown;
      if (this.failure) throw this.failure;
      if (this.next && decoder.decodeQueueSize < QUEUED) await this.feed(decoder, this.next);
      else if (this.next) await new Promise<void>((resolve) => (this.wake = resolve));
      else if (!this.isFlushed) {
        this.isFlushed = true;
        // What fails in it is told as `failure`.
        await decoder.flush().catch(() => undefined);
      } else return this.atTheEnd(number);
    }
  }

  private async feed(decoder: VideoDecoder, packet: EncodedPacket): Promise<void> {
    decoder.decode(packet.toEncodedVideoChunk());
    this.end = Math.max(this.end, this.numberOf(packet.timestamp + packet.duration));
    this.next = await this.file.reading((packets) => packets.getNextPacket(packet));
  }

  /** The last picture may be on show for several frames. @throws DecodeError beyond its end */
  private atTheEnd(number: FrameNumber): VideoFrame {
    const shown = number < this.end ? this.latestBy(number) : undefined;
    if (!shown) throw new DecodeError(`The clip has no frame ${number}`);
    return shown;
  }

  private take(frame: VideoFrame): void {
    const number = this.numberOf(frame.timestamp / 1e6);
    this.ready.get(number)?.close();
    this.ready.set(number, frame);
    this.last = Math.max(this.last, number);
    this.wake();
  }

  /** What was on show before goes; what is on show now may be for some more frames. */
  private forgetBefore(number: FrameNumber): void {
    const shown = this.latestBy(number);
    for (const [known, frame] of this.ready) {
      if (known > number || frame === shown) continue;
      frame.close();
      this.ready.delete(known);
    }
  }

  private numberOf(seconds: number): FrameNumber {
    const { numerator, denominator } = this.rate;
    return Math.round(((seconds - this.file.first) * numerator) / denominator);
  }
}
