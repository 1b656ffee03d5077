import {
  fingerprintOf,
  framesPerSecond,
  LARGEST_SIDE,
  MOST_FRAMES,
  rateName,
  rateNear,
  type ReferencedClip,
} from "@kinetocache/core";
import type { FrameRateMetrics } from "mediabunny";
import { ClipDecoder } from "./clipDecoder";
import { ClipFile } from "./clipFile";
import { DecodeError } from "./decodeError";
import { bytesAt, type MediaPlace } from "./mediaBytes";

/** What a clip file is, and what is to be said about it. */
export interface ProbedClip {
  readonly clip: ReferencedClip;
  readonly notes: readonly string[];
}

const nameOf = ({ path }: MediaPlace) => path.slice(path.lastIndexOf("/") + 1);

/**
 * Reads what a file is, and decodes its first picture, so that one that cannot be played is known now.
 * @throws DecodeError, MediaError
 */
export async function probeClip(place: MediaPlace): Promise<ProbedClip> {
  if (place.bytes === 0) throw new DecodeError("The file is empty");
  const bytes = bytesAt(place);
  const fingerprint = await fingerprintOf(bytes.bytes, (start, end) => bytes.read(start, end));
  const file = await ClipFile.open(bytes);
  try {
    const { track, first, rotation, config } = file;
    const metrics = await file.reading(() => track.computeFrameRateMetrics());
    if (metrics.probedPacketCount === 0) throw new DecodeError("No picture of the clip is whole: it is cut short");
    const rate = rateNear(metrics.bestGuessFrameRate);
    if (!rate)
      throw new DecodeError(
        `Its rate is ${metrics.bestGuessFrameRate.toFixed(2)} frames a second, and not from 1 to 240`,
      );
    const seconds = (await file.reading(() => track.computeDuration())) - first;
    const duration = Math.max(1, Math.round(seconds * framesPerSecond(rate)));
    if (duration > MOST_FRAMES)
      throw new DecodeError(
        `It has ${duration.toLocaleString("en")} frames; at most ${MOST_FRAMES.toLocaleString("en")} are played`,
      );
    const { width, height } = await firstPicture(bytes, rate);
    const group = await groupOf(file, framesPerSecond(rate));
    const { modifiedMs } = place;
    const about = { name: nameOf(place), bytes: bytes.bytes, modifiedMs, fingerprint, codec: config.codec };
    return {
      clip: {
        kind: "clip",
        ...{ width, height, rate, duration },
        file: group === undefined ? about : { ...about, group },
      },
      notes: [
        ...rateNotes(metrics, rateName(rate)),
        ...(rotation === 0 ? [] : [`Turned clockwise by ${rotation}°, as the file says.`]),
      ],
    };
  } finally {
    file.close();
  }
}

/** Size of the first picture that can be shown. @throws DecodeError, MediaError */
async function firstPicture(
  bytes: ReturnType<typeof bytesAt>,
  rate: ReferencedClip["rate"],
): Promise<{ readonly width: number; readonly height: number }> {
  const decoder = await ClipDecoder.open(bytes, rate, "processor");
  try {
    const { width, height } = (await decoder.frame(0)).pixels;
    if (Math.max(width, height) > LARGEST_SIDE)
      throw new DecodeError(`It has ${width} × ${height} pixels; at most ${LARGEST_SIDE} are played on a side`);
    return { width, height };
  } finally {
    decoder.close();
  }
}

/** Frames from the first key frame to the next; undefined where there is no other. */
async function groupOf(file: ClipFile, speed: number): Promise<number | undefined> {
  return file.reading(async (packets) => {
    const first = await packets.getFirstKeyPacket({ metadataOnly: true });
    const next = first && (await packets.getNextKeyPacket(first, { metadataOnly: true }));
    return next ? Math.max(1, Math.round((next.timestamp - first.timestamp) * speed)) : undefined;
  });
}

function rateNotes({ underlyingFrameRate, minFrameRate, maxFrameRate }: FrameRateMetrics, name: string): string[] {
  if (underlyingFrameRate !== null) return [];
  const [least, most] = [minFrameRate, maxFrameRate].map((rate) => Number(rate.toFixed(1)));
  return [
    `Its rate varies, from ${least} to ${most} fps: it is played at ${name}, each picture from the frame at which it begins.`,
  ];
}
