import { framesPerSecond, type Composition, type Depth } from "../composition";
import { frameBytes, requiredReadBack, type Bytes } from "../machine";
import type { Needs } from "./roles";

// A lighter stand-in has half the edge length.
const PROXY_FRACTION = 0.5;

/**
 * What a composition asks of each role, frames stored plain: the disk cache holds it at the preview's size, baked
 * frames at full size, proxies at 50 %, scratch takes one whole output.
 * @param media bytes of all its clips, and bytes a second that playing them takes
 */
export function needsOf(
  composition: Pick<Composition, "width" | "height" | "rate" | "duration">,
  fraction: number,
  depth: Depth,
  media: { readonly bytes: Bytes; readonly rate: number },
): Needs {
  const at = (size: number) => {
    const bytes = frameBytes(composition, size, depth);
    return { readRate: requiredReadBack(bytes, composition.rate), writeRate: 0, bytes: bytes * composition.duration };
  };
  const full = at(1);
  return {
    "source media": { readRate: media.rate, writeRate: 0, bytes: media.bytes },
    "disk cache": at(fraction),
    "baked frames": full,
    proxies: at(PROXY_FRACTION),
    scratch: { readRate: 0, writeRate: full.readRate, bytes: full.bytes },
  };
}

/** Bytes a second that playing clips of known size and length takes. */
export function mediaRate(
  clips: readonly {
    readonly bytes: Bytes;
    readonly frames: number;
    readonly rate: { numerator: number; denominator: number };
  }[],
): number {
  return clips.reduce((sum, { bytes, frames, rate }) => sum + (bytes * framesPerSecond(rate)) / frames, 0);
}
