import type {
  Bytes,
  ContentKey,
  CostSample,
  DecodeDevice,
  Document,
  EffectMode,
  FormatTrial,
  FrameItem,
  FrameNumber,
  FrameRange,
  GraphicsChoice,
  GraphicsResult,
  LocationSettings,
  Milliseconds,
  Mode,
  Pacing,
  PlayheadWindow,
  RenderDevice,
  RendererClass,
  RenderSettings,
  TakeFrame,
  TakeSummary,
} from "@kinetocache/core";
import type { BrowserDiskState } from "./browserDisk/browserDisk";
import type { RenderResources } from "./resources";

/** Frames a second with a number of frames in parallel. */
export interface ParallelPoint {
  readonly parallel: number;
  readonly rate: number;
}

/** When rendered frames are written to disk. */
export const STORE_POLICIES = ["Always", "In background", "Never"] as const;

/** Where rendered frames are written, and which. */
export interface StoragePolicy {
  /** Id of the location that is for the disk cache. */
  readonly location: string;
  readonly store: (typeof STORE_POLICIES)[number];
  /** Whether frames are written too that read back slower than they render. */
  readonly storeSlow: boolean;
}

/** What the user sets for the preview. Nothing here reaches an output. */
export interface PreviewSettings {
  readonly fraction: number;
  readonly effects: EffectMode;
  readonly memoryBudgetBytes: Bytes;
  /** Frames rendered in parallel. */
  readonly parallel: number;
  readonly window: PlayheadWindow;
  readonly background: "Off" | "Idle";
  readonly idleDelayMs: Milliseconds;
  readonly pacing: Pacing;
  readonly sharpenWhenParked: boolean;
  readonly loop: boolean;
  /** What renders. */
  readonly effectsOn: RenderDevice;
  /** What decodes clips. */
  readonly decodingOn: DecodeDevice;
  readonly diskCache: StoragePolicy;
}

/** From a screen to the engine. */
export type Command =
  | { readonly kind: "configure"; readonly settings: PreviewSettings }
  | {
      readonly kind: "open";
      readonly document: Document;
      /** What brought this state: decides what is said about frames lost or found again. */
      readonly cause: "open" | "edit" | "undo" | "redo";
    }
  /** A document was removed: nothing of it is written to disk any more. */
  | { readonly kind: "removed"; readonly document: string }
  | { readonly kind: "viewer"; readonly canvas: OffscreenCanvas }
  | { readonly kind: "play"; readonly speed: number }
  | { readonly kind: "pause" }
  /** Play where it stands still, pause where it plays. */
  | { readonly kind: "toggle" }
  /** Plays in a direction, twice as fast each time while it plays that way already. */
  | { readonly kind: "shuttle"; readonly direction: 1 | -1 }
  | { readonly kind: "seek"; readonly frame: FrameNumber; readonly scrubbing: boolean }
  /** Frames from where the playhead is when the command arrives. */
  | { readonly kind: "step"; readonly frames: number }
  | { readonly kind: "range"; readonly range: FrameRange }
  /** Puts an end of the range at the playhead, or the playhead at an end, as both are when the command arrives. */
  | { readonly kind: "setEnd"; readonly end: "in" | "out" }
  | { readonly kind: "seekEnd"; readonly end: "in" | "out" }
  | { readonly kind: "measureTake" }
  /** Renders with one frame in parallel, then more, up to all cores, and times that. Any action ends it. */
  | { readonly kind: "measureParallel"; readonly cores: number }
  /** Renders on each of these devices in turn, times that, and compares the pixels. Any action ends it. */
  | { readonly kind: "measureGraphics"; readonly devices: readonly RenderDevice[] }
  /** Tries the chosen graphics device again, after it failed. */
  | { readonly kind: "retryGraphics" }
  /** The user did something: filling waits anew. */
  | { readonly kind: "touch" }
  | { readonly kind: "pauseFilling"; readonly paused: boolean }
  /** The disk cache changed outside the engine: frames were swept, restored or moved, or settings were changed. */
  | { readonly kind: "diskChanged" }
  /** Writes and reads some frames of the open composition in each format at a location. Any action ends it. */
  | { readonly kind: "measureFormats"; readonly location: string }
  /** Moves frames between the browser's own storage and a folder of the server. Whatever else is done goes on. */
  | { readonly kind: "carry"; readonly from: string; readonly to: string }
  | { readonly kind: "stopCarrying" }
  /** Asks for the state of the browser's own storage, and for its frames too. */
  | { readonly kind: "browserDisk"; readonly withItems: boolean }
  | { readonly kind: "changeBrowserDisk"; readonly settings: Partial<LocationSettings> }
  /** Removes frames from the browser's own storage; all of them without keys. */
  | { readonly kind: "clearBrowserDisk"; readonly keys?: readonly ContentKey[] };

export interface LayerCost {
  readonly layer: string;
  /** At the playhead; undefined while nothing is known. */
  readonly playheadMs?: Milliseconds;
  /** Mean over the in–out range; undefined while nothing is known of it. */
  readonly rangeMs?: Milliseconds;
  /** Whether every frame of the range was measured layer by layer. */
  readonly rangeMeasured: boolean;
  /** Whether the figure at the playhead was measured. */
  readonly measured: boolean;
}

export type DiskState =
  | { readonly kind: "ready" }
  | { readonly kind: "unreachable" }
  /** Nothing more is taken: the cap is reached, the drive is full, read-only or gone. */
  | { readonly kind: "refused"; readonly detail: string };

export type TrialKind = "frames in parallel" | "graphics devices" | "formats";

/** What is true at one moment; sent about ten times a second while anything changes. */
export interface Status {
  readonly mode: Mode;
  readonly playhead: FrameNumber;
  readonly range: FrameRange;
  readonly speed: number;
  readonly memory: {
    readonly budgetBytes: Bytes;
    readonly usedBytes: Bytes;
    readonly frames: number;
    /** Linear memory of the render workers. */
    readonly workingBytes: Bytes;
  };
  readonly filling: {
    readonly paused: boolean;
    /** Frames of the composition that are held in memory or on disk, and how many there are. */
    readonly held: number;
    readonly total: number;
    /** Estimated time for the rest. */
    readonly remainingMs?: Milliseconds;
  };
  readonly disk: DiskState;
  /** Frames that were not written because they read back slower than they render. */
  readonly notWorthStoring: number;
  /** Measured, in bytes a second; undefined before the first frame was read from disk. */
  readonly readRate?: number;
  readonly rendered: number;
  readonly measuringTake: boolean;
  /** Frames that are on their way between the browser's own storage and a folder. */
  readonly carrying?: { readonly done: number; readonly total: number };
  /** While something is measured: what, and the share of it that is done. */
  readonly trial?: { readonly of: TrialKind; readonly step: string; readonly progress: number };
  /** Why the processor renders although a graphics device was chosen. */
  readonly graphicsFault?: string;
  readonly playback?: { readonly skipped: number; readonly reachedRate: number };
  readonly layerCosts: readonly LayerCost[];
  readonly sharp: boolean;
}

/** Per-frame data of the timeline; sent when it changed. */
export interface TimelineData {
  /** Milliseconds per frame, 0 where nothing is known. */
  readonly costs: Float32Array;
  /** 0 where the cost is an estimate. */
  readonly measured: Uint8Array;
  /** Bits of where each frame is held. */
  readonly residency: Uint8Array;
}

/** What an edit did to what was held. */
export interface CacheChange {
  readonly cause: "edit" | "undo" | "redo";
  /** Of the frames that show something else now: held before and not now; held now. */
  readonly lost: number;
  readonly regained: number;
}

export interface MeasuredTake {
  readonly startedAtMs: number;
  readonly document: {
    readonly id: string;
    /** Which state of it was played. */
    readonly state: ContentKey;
    readonly name: string;
    readonly width: number;
    readonly height: number;
  };
  readonly budgetMs: Milliseconds;
  readonly range: FrameRange;
  readonly settings: PreviewSettings;
  readonly depth: Document["depth"];
  readonly frames: readonly TakeFrame[];
  readonly summary: TakeSummary;
  /** Render time by layer during the take, summed over all workers; null is the final stack. */
  readonly layerMs: readonly { readonly layer: string | null; readonly ms: Milliseconds }[];
  readonly heldAtStart: { readonly memory: number; readonly disk: number };
  /** Why a chosen graphics device did not render all of it. */
  readonly graphicsFault?: string;
}

/** From the engine to the screens. */
export type EngineEvent =
  | { readonly kind: "status"; readonly status: Status }
  | { readonly kind: "timeline"; readonly data: TimelineData }
  | { readonly kind: "playhead"; readonly frame: FrameNumber }
  | { readonly kind: "cacheChange"; readonly change: CacheChange }
  | { readonly kind: "take"; readonly take: MeasuredTake }
  | { readonly kind: "parallelCurve"; readonly points: readonly ParallelPoint[] }
  | { readonly kind: "graphicsTrial"; readonly results: readonly GraphicsResult[] }
  | { readonly kind: "formatTrial"; readonly results: readonly FormatTrial[] }
  | { readonly kind: "browserDisk"; readonly state: BrowserDiskState; readonly items?: readonly FrameItem[] }
  /** Something went wrong that the user should know once. */
  | { readonly kind: "notice"; readonly text: string };

/** What a render worker needs once. */
export interface RenderInit extends RenderResources {
  readonly kind: "init";
  /** Job to cancel, one slot a worker. */
  readonly cancel: Int32Array;
  readonly slot: number;
}

export type RenderRequest =
  | RenderInit
  | { readonly kind: "document"; readonly document: Document }
  | { readonly kind: "decoding"; readonly on: DecodeDevice }
  /** The device for frames of the graphics renderer. */
  | { readonly kind: "graphics"; readonly choice: GraphicsChoice }
  | { readonly kind: "render"; readonly job: number; readonly frame: FrameNumber; readonly settings: RenderSettings };

export type RenderReply =
  | { readonly kind: "ready" }
  | {
      readonly kind: "rendered";
      readonly job: number;
      readonly key: string;
      readonly width: number;
      readonly height: number;
      readonly pixels: Uint8Array<ArrayBuffer>;
      readonly ms: Milliseconds;
      readonly costs: readonly CostSample[];
      /** Whether each node was timed; otherwise `costs` shares out the time of the frame by work. */
      readonly nodesTimed: boolean;
      readonly renderer: RendererClass;
      /** Why the processor decodes clips although a graphics device was chosen. */
      readonly decodeFault?: string;
      /** Memory of the worker for pixels, on a graphics device too. */
      readonly memoryBytes: Bytes;
      /** Whether a clip had to start anew at a key frame, which is left out of the times: they are not the whole. */
      readonly jumped: boolean;
      /** False for a worker's first frames, whose times say more of the compiler than of the frame. */
      readonly warm: boolean;
    }
  | { readonly kind: "cancelled"; readonly job: number }
  | { readonly kind: "failed"; readonly job: number; readonly reason: string }
  /** The graphics device cannot render this; the processor may. `lost` when it is gone altogether. */
  | { readonly kind: "noGraphics"; readonly job: number; readonly reason: string; readonly lost: boolean };
