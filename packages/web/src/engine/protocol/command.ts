import type {
  Bake,
  Bytes,
  ContentKey,
  DecodeDevice,
  Document,
  EffectMode,
  FillTarget,
  FrameNumber,
  FrameRange,
  LocationSettings,
  Milliseconds,
  Pacing,
  PlayheadWindow,
  RenderDevice,
} from "@kinetocache/core";
import type { MeasuredForms } from "../diskStore";
import type { MediaPlaces } from "../media/mediaBytes";
import type { CostRecord } from "../frameCosts";
import type { BarsWish } from "../layerBars";

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

/** When frames are rendered ahead: never; whatever is next after a pause; only the marked layers after a pause. */
export const BACKGROUNDS = ["Off", "Idle", "Marked"] as const;

type Background = (typeof BACKGROUNDS)[number];

/** What the user chose for single layers of a composition, for the preview alone; ids of layers. */
export interface LayerChoices {
  /** Shown alone. */
  readonly solo: readonly string[];
  readonly effectsOff: readonly string[];
  /** Rendered ahead. */
  readonly marked: readonly string[];
  /** Kept in memory while others can go. */
  readonly pinned: readonly string[];
}

export const NO_LAYER_CHOICES: LayerChoices = { solo: [], effectsOff: [], marked: [], pinned: [] };

/** What the user sets for the preview. Nothing here reaches an output. */
export interface PreviewSettings {
  readonly fraction: number;
  /** Size while scrubbing; never more than `fraction`. */
  readonly scrubFraction: number;
  readonly effects: EffectMode;
  readonly motionBlur: boolean;
  /** Whether what gives up quality is in force at all. */
  readonly tradeOffs: boolean;
  readonly memoryBudgetBytes: Bytes;
  /** Frames rendered in parallel. */
  readonly parallel: number;
  readonly window: PlayheadWindow;
  readonly background: Background;
  /** Whether filling that was asked for rests during playback. */
  readonly pauseFillingWhilePlaying: boolean;
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

/** How a second variant is shown. */
export interface Comparison {
  /** Id of its composition. */
  readonly variant: string;
  readonly layout: "side by side" | "wipe";
  /** Share of the width that shows the open variant, 0 to 1. */
  readonly wipe: number;
  /** Whether only the open variant is played. */
  readonly parkedOnly: boolean;
}

/** From a screen to the engine. */
export type Command =
  | { readonly kind: "configure"; readonly settings: PreviewSettings }
  | {
      readonly kind: "open";
      readonly document: Document;
      readonly layers: LayerChoices;
      readonly bakes: readonly Bake[];
      /** What brought this state: decides what is said about frames lost or found again. */
      readonly cause: "open" | "edit" | "undo" | "redo";
      /** When the user asked for it, by `sharedNow`. */
      readonly sinceMs: Milliseconds;
    }
  /** What an earlier session measured, before the composition is opened. */
  | { readonly kind: "recall"; readonly record: CostRecord }
  /** What automatic packing keeps, by location, of the open composition at the size in force. */
  | { readonly kind: "storeAs"; readonly forms: MeasuredForms }
  /** Share of the time in which render workers had the processor lately, above 0 to 1; less while others take it. */
  | { readonly kind: "contention"; readonly share: number }
  /** Where the files of clips lie; what could not be had is tried again. */
  | { readonly kind: "media"; readonly places: MediaPlaces }
  /** What is chosen for single layers of the open composition. */
  | { readonly kind: "layers"; readonly layers: LayerChoices }
  | { readonly kind: "bakes"; readonly bakes: readonly Bake[] }
  /** Shows another variant beside the open one, or none any more. */
  | { readonly kind: "compare"; readonly with?: Comparison }
  /** Fills a stretch or a layer now, whatever else is done. */
  | { readonly kind: "fill"; readonly target: FillTarget }
  | { readonly kind: "pauseFill"; readonly order: number; readonly paused: boolean }
  | { readonly kind: "cancelFill"; readonly order: number }
  /** The layer whose own pixels the lanes show; the composition's frames without one. */
  | { readonly kind: "follow"; readonly layer?: string }
  /** What the rows of layers in time show; nothing without layers. */
  | { readonly kind: "bars"; readonly wish: BarsWish }
  /** Asks why a frame is held or not, and when it would go. */
  | { readonly kind: "explain"; readonly frame: FrameNumber }
  /** Asks for layers that cost time and show nothing. */
  | { readonly kind: "findWaste" }
  /**
   * Asks what is worth baking with this much room for it, which is tried on some frames. Any action ends it.
   * @param sequence stored sequence that the pictures go through; whoever asks removes it
   */
  | { readonly kind: "suggestBakes"; readonly roomBytes: Bytes; readonly sequence: string }
  /** Renders what is to be baked and has it stored, or goes on with a part. */
  | { readonly kind: "bake"; readonly bake: Bake }
  | { readonly kind: "pauseBake"; readonly bake: string; readonly paused: boolean }
  /** What is stored so far stays, as a part. */
  | { readonly kind: "stopBake"; readonly bake: string }
  /** Whether a screen wants to know what trade-offs would save. */
  | { readonly kind: "savings"; readonly wanted: boolean }
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
  /** @param emptied whether memory is emptied before, so that it begins with nothing held */
  | { readonly kind: "measureTake"; readonly emptied?: boolean }
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
