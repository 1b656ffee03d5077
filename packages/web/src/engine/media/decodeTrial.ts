import { DECODE_DEVICES, type ClipAsset, type DecodeDevice } from "@kinetocache/core";
import { ClipDecoder } from "./clipDecoder";
import type { DecodeResult } from "./decoding";
import { bytesAt, embeddedBytes, type MediaBytes, type MediaPlace } from "./mediaBytes";

// Frames that are decoded before the clock starts, and with it.
const WARM = 10;
const TIMED = 90;

async function timeDecoding(clip: ClipAsset, bytes: MediaBytes, on: DecodeDevice): Promise<DecodeResult> {
  let decoder: ClipDecoder | undefined;
  try {
    decoder = await ClipDecoder.open(bytes, clip.rate, on);
    const frames = Math.min(clip.duration, WARM + TIMED);
    const warm = Math.min(WARM, frames - 1);
    let start = performance.now();
    for (let frame = 0; frame < frames; frame++) {
      if (frame === warm) start = performance.now();
      await decoder.frame(frame);
    }
    return { on, rate: ((frames - warm) * 1000) / (performance.now() - start) };
  } catch (error) {
    return { on, failure: error instanceof Error ? error.message : String(error) };
  } finally {
    decoder?.close();
  }
}

/**
 * Decodes a clip from its start on each device, one after the other.
 * @param place of its file, where it is not in the document @throws Error where that is not known
 */
export async function tryDecoding(clip: ClipAsset, place: MediaPlace | undefined): Promise<DecodeResult[]> {
  if (clip.file && !place) throw new Error(`${clip.file.name} was not found`);
  const bytes = clip.file ? bytesAt(place!) : embeddedBytes(clip);
  const results: DecodeResult[] = [];
  for (const on of DECODE_DEVICES) results.push(await timeDecoding(clip, bytes, on));
  return results;
}
