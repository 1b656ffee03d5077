import type { DecodeDevice } from "@kinetocache/core";
import {
  CustomSource,
  EncodedPacketSink,
  Input,
  MATROSKA,
  MP4,
  QTFF,
  WEBM,
  type InputVideoTrack,
  type Rotation,
} from "mediabunny";
import { DecodeError } from "./decodeError";
import { MediaError, type MediaBytes } from "./mediaBytes";

/** A clip whose container has been read, and whose packets can be. */
export class ClipFile {
  private constructor(
    private readonly input: Input,
    readonly track: InputVideoTrack,
    readonly packets: EncodedPacketSink,
    readonly config: VideoDecoderConfig,
    /** Seconds at which its first picture is on show. */
    readonly first: number,
    /** By how much its pictures are to be turned, clockwise. */
    readonly rotation: Rotation,
    private readonly fault: () => MediaError | undefined,
  ) {}

  /** @throws DecodeError when the file holds no video that a browser knows, MediaError when it cannot be read */
  static async open({ bytes, read }: MediaBytes): Promise<ClipFile> {
    let fault: MediaError | undefined;
    const source = new CustomSource({
      getSize: () => bytes,
      read: async (start, end) => {
        try {
          return await read(start, end);
        } catch (error) {
          if (error instanceof MediaError) fault = error;
          throw error;
        }
      },
      prefetchProfile: "network",
      // It is told where it is waited for, with the next packet.
      handleUnhandledError: () => undefined,
    });
    const input = new Input({ source, formats: [MP4, QTFF, WEBM, MATROSKA] });
    try {
      const track = await input.getPrimaryVideoTrack();
      const config = await track?.getDecoderConfig();
      if (!track || !config) throw new DecodeError("The clip holds no video that a browser knows, or is cut short");
      const first = await track.getFirstTimestamp();
      const rotation = await track.getRotation();
      return new ClipFile(input, track, new EncodedPacketSink(track), config, first, rotation, () => fault);
    } catch (error) {
      input.dispose();
      if (fault) throw fault;
      if (error instanceof DecodeError) throw error;
      throw new DecodeError("The clip is no MP4, MOV, WebM or Matroska file, or is damaged", { cause: error });
    }
  }

  /** How a device is to decode it. @throws DecodeError when it does not */
  async decoderOn(on: DecodeDevice): Promise<VideoDecoderConfig> {
    const config: VideoDecoderConfig = {
      ...this.config,
      hardwareAcceleration: on === "graphics" ? "prefer-hardware" : "prefer-software",
      optimizeForLatency: true,
    };
    const { supported } = await VideoDecoder.isConfigSupported(config);
    if (supported) return config;
    const { codec } = config;
    throw new DecodeError(
      on === "graphics"
        ? `No graphics device here decodes ${codec}`
        : `This browser does not decode ${codec}: export the clip as H.264, VP9 or AV1`,
    );
  }

  /** Reads from it. @throws MediaError when its bytes cannot be had, DecodeError when they are not as they should be */
  async reading<T>(work: (packets: EncodedPacketSink) => Promise<T>): Promise<T> {
    try {
      return await work(this.packets);
    } catch (error) {
      const fault = this.fault();
      if (fault) throw fault;
      throw new DecodeError("The clip is damaged or cut short", { cause: error });
    }
  }

  close(): void {
    this.input.dispose();
  }
}
