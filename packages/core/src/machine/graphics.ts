import type { NodeKind } from "../graph";
import type { Milliseconds } from "../composition";

/** Graphics devices as a browser hands them out: that of least power, that of most speed, the software stand-in. */
export const GRAPHICS_CHOICES = ["low-power", "high-performance", "software"] as const;
export type GraphicsChoice = (typeof GRAPHICS_CHOICES)[number];

/** What renders effects. */
export const RENDER_DEVICES = ["processor", ...GRAPHICS_CHOICES] as const;
export type RenderDevice = (typeof RENDER_DEVICES)[number];

/** How one device rendered a composition. */
export interface DeviceTrial {
  readonly device: RenderDevice;
  /** Frames a second, with the frames in parallel that are set. */
  readonly rate: number;
  /** Frames that were timed. */
  readonly frames: number;
  /** Mean time a frame by kind of node, the costliest first. */
  readonly nodes: readonly { readonly kind: NodeKind; readonly ms: Milliseconds }[];
  /** Whether the device timed each node; otherwise the time of a frame was shared out by work: an estimate. */
  readonly nodesTimed: boolean;
  /** Largest difference from the processor's pixels, in steps of 8-bit; undefined where nothing was compared. */
  readonly difference?: number;
}

/** A device that could not render, and why. */
export interface FailedTrial {
  readonly device: RenderDevice;
  readonly failure: string;
}

export type GraphicsResult = DeviceTrial | FailedTrial;

export interface GraphicsVerdict {
  /** What renders the composition fastest. */
  readonly best: RenderDevice;
  readonly bestRate: number;
  /** The fastest of the others; undefined when only one could render. */
  readonly next?: { readonly device: RenderDevice; readonly rate: number };
  /** Whether the two are within the noise of a measurement. */
  readonly close: boolean;
}

// Two runs of one trial differ by about this share.
const NOISE = 0.1;

/**
 * Which device should render, by what was measured. Within the noise the processor is preferred: it holds nothing
 * back from the display and needs no copy of the frame.
 * @returns undefined when nothing could render
 */
export function graphicsVerdict(results: readonly GraphicsResult[]): GraphicsVerdict | undefined {
  const ranked = results.filter((result) => "rate" in result).sort((a, b) => b.rate - a.rate);
  const [first, second] = ranked;
  if (!first) return undefined;
  const close = second !== undefined && second.rate >= first.rate * (1 - NOISE);
  const processor = close
    ? ranked.find(({ device, rate }) => device === "processor" && rate === second.rate)
    : undefined;
  const best = processor ?? first;
  const next = ranked.find((result) => result !== best);
  return {
    best: best.device,
    bestRate: best.rate,
    ...(next ? { next: { device: next.device, rate: next.rate } } : {}),
    close,
  };
}
