import type { NodeKind } from "../graph";
import type { Milliseconds } from "../composition";
import { renderRate } from "./compare";
import type { Bytes } from "./memory";
import type { MachineSheet } from "./sheet";

/** Graphics devices as a browser hands them out: that of least power, that of most speed, the software stand-in. */
export const GRAPHICS_CHOICES = ["low-power", "high-performance", "software"] as const;
export type GraphicsChoice = (typeof GRAPHICS_CHOICES)[number];

/** What renders effects. */
export const RENDER_DEVICES = ["processor", ...GRAPHICS_CHOICES] as const;
export type RenderDevice = (typeof RENDER_DEVICES)[number];

/** What decodes clips: the processor, or the graphics device of the browser's choice. */
export const DECODE_DEVICES = ["processor", "graphics"] as const;
export type DecodeDevice = (typeof DECODE_DEVICES)[number];

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

/** What a device of a simulated machine would do: estimates. */
export interface StatedDevice {
  readonly name: string;
  readonly isProcessor: boolean;
  readonly isSoftware: boolean;
  /** Frames a second that it renders; undefined where it renders no effects. */
  readonly rate?: number;
  /** Speed of decoding clips against the processor of this machine; undefined where it decodes none. */
  readonly decodeSpeed?: number;
  /** Whether its own memory takes the working buffers of a frame. */
  readonly isLargeEnough: boolean;
}

interface StatedWork {
  /** Mean cost of a frame on the processor of this machine. */
  readonly meanMs: Milliseconds;
  readonly parallel: number;
  /** Working buffers of one frame. */
  readonly oneBytes: Bytes;
}

/** The processor of a simulated machine and its graphics devices, by their stated speeds. */
export function statedDevices({ hardware, simulation }: MachineSheet, work: StatedWork): StatedDevice[] {
  const { meanMs, parallel, oneBytes } = work;
  const speed = simulation?.speed ?? 1;
  const processor = {
    name: "Processor",
    isProcessor: true,
    isSoftware: false,
    rate: renderRate({ meanMs, speed, parallel, cores: hardware.cores }),
    decodeSpeed: speed,
    isLargeEnough: true,
  };
  const devices = hardware.graphics.map(({ name, memoryBytes, software, effectSpeed, decodeSpeed }) => ({
    name,
    isProcessor: false,
    isSoftware: software ?? false,
    // A graphics device renders one frame after another.
    ...(effectSpeed === undefined ? {} : { rate: renderRate({ meanMs, speed: effectSpeed, parallel: 1, cores: 1 }) }),
    ...(decodeSpeed === undefined ? {} : { decodeSpeed }),
    isLargeEnough: memoryBytes === undefined || memoryBytes >= oneBytes,
  }));
  return [processor, ...devices];
}

/** Which of them should render effects, and which should decode clips: the processor where nothing is faster. */
export function bestStated(devices: readonly StatedDevice[]): {
  readonly effects: StatedDevice;
  readonly decoding: StatedDevice;
} {
  const processor = devices.find(({ isProcessor }) => isProcessor)!;
  const able = devices.filter(({ isSoftware, isLargeEnough }) => !isSoftware && isLargeEnough);
  const pick = (value: (device: StatedDevice) => number) =>
    able.reduce((best, device) => (value(device) > value(best) * (1 + NOISE) ? device : best), processor);
  return { effects: pick(({ rate }) => rate ?? 0), decoding: pick(({ decodeSpeed }) => decodeSpeed ?? 0) };
}
