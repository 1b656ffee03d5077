import { DECODE_DEVICES, type ClipAsset, type DecodeDevice } from "@kinetocache/core";
import { ClipDecoder } from "./clipDecoder";
import type { DecodeResult } from "./decoding";

// Frames that are decoded before the clock starts, and with it.
const WARM = 10;
const TIMED = 90;

async function timeDecoding(clip: ClipAsset, on: DecodeDevice): Promise<DecodeResult> {
  let decoder: ClipDecoder | undefined;
  try {
    decoder = await ClipDecoder.open(clip, on);
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

/** Decodes a clip from its start on each device, one after the other. */
export async function tryDecoding(clip: ClipAsset): Promise<DecodeResult[]> {
  const results: DecodeResult[] = [];
  for (const on of DECODE_DEVICES) results.push(await timeDecoding(clip, on));
  return results;
}
