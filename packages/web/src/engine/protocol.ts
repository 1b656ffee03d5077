import type {
  Bake,
  BakeTarget,
  Branch,
  Bytes,
  ContentKey,
  CostSample,
  DecodeDevice,
  Document,
  EffectMode,
  EvictionContext,
  FillTarget,
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
  Standing,
  StoredFrame,
  TakeFrame,
  TakeSummary,
  Waste,
  WorthParts,
} from "@kinetocache/core";
import type { BakeStatus } from "./bakeRun";
import type { BrowserDiskState } from "./browserDisk/browserDisk";
import type { FillOrder } from "./fillOrders";
import type { DiskState, MeasuredForms } from "./diskStore";
import type { CostRecord, LayerCost } from "./frameCosts";
import type { LayerKept } from "./layerLanes";
import type { Outlook } from "./outlook";
import type { TimelineData } from "./previewTimeline";
import type { RenderResources } from "./resources";
import type { ResponseTimes } from "./responses";
import type { Savings } from "./savings";

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

/** Something worth baking, and what it comes to: forecast from frames that were tried with it. */
export interface BakeOffer {
  /** What is baked together. */
  readonly targets: readonly BakeTarget[];
  readonly fraction: number;
  /** Of a take that began when all of it was baked, with what is held now. */
  readonly summary: TakeSummary;
  /** Of a frame that is not held. */
  readonly meanMs: Milliseconds;
  /** What baking takes. */
  readonly bakeMs: Milliseconds;
  readonly bytes: Bytes;
}

/** What is worth baking over a range. */
export interface SuggestedBakes {
  /** Id of the main composition that it is for. */
  readonly composition: string;
  readonly range: FrameRange;
  /** Of a take that began now; an estimate. */
  readonly present: TakeSummary;
  /** Mean cost of the frames that are not held; 0 where all are. */
  readonly presentMs: Milliseconds;
  /** The best one first; none where nothing wins by more than the error of a forecast. */
  readonly offers: readonly BakeOffer[];
  /** Frames that were rendered with what could be baked. */
  readonly triedFrames: number;
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
    }
  /** What an earlier session measured, before the composition is opened. */
  | { readonly kind: "recall"; readonly record: CostRecord }
  /** What automatic packing keeps, by location, of the open composition at the size in force. */
  | { readonly kind: "storeAs"; readonly forms: MeasuredForms }
  /** Share of the time in which render workers had the processor lately, above 0 to 1; less while others take it. */
  | { readonly kind: "contention"; readonly share: number }
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

/** A command on its way, with when it was sent by the clock that all workers share. */
export interface SentCommand {
  readonly command: Command;
  readonly sentMs: Milliseconds;
}

export type TrialKind = "frames in parallel" | "graphics devices" | "formats" | "bakes";

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
    /** Layers' finished pixels among what is used. */
    readonly branches: number;
    readonly branchBytes: Bytes;
    /** Linear memory of the render workers, and what is in hand. */
    readonly workingBytes: Bytes;
    /** Frames that memory did not take, until they are shown or written to disk. */
    readonly handBytes: Bytes;
  };
  readonly filling: {
    readonly paused: boolean;
    /** Frames of the composition that filling has nothing more to do for, and how many there are. */
    readonly done: number;
    readonly total: number;
    /** Estimated time for the rest. */
    readonly remainingMs?: Milliseconds;
    /** Estimated time until memory holds as much of the range as it can. */
    readonly intoMemoryMs?: Milliseconds;
  };
  readonly comparison?: Comparison;
  readonly bakes: readonly BakeStatus[];
  /** Names of baked pictures that cannot be read. */
  readonly unreadable: readonly string[];
  /** Filling that was asked for by hand. */
  readonly orders: readonly FillOrder[];
  readonly disk: DiskState;
  /** Frames that were not written because they read back slower than they render. */
  readonly notWorthStoring: number;
  /** Measured, in bytes a second; undefined before the first frame was read from disk. */
  readonly readRate?: number;
  /** Frames rendered since the engine started. */
  readonly rendered: number;
  readonly responses: ResponseTimes;
  readonly measuringTake: boolean;
  /** Frames that are on their way between the browser's own storage and a folder. */
  readonly carrying?: { readonly done: number; readonly total: number };
  /** While something is measured: what, and the share of it that is done. */
  readonly trial?: { readonly of: TrialKind; readonly step: string; readonly progress: number };
  /** Why the processor renders although a graphics device was chosen. */
  readonly graphicsFault?: string;
  readonly playback?: { readonly skipped: number; readonly reachedRate: number };
  readonly layerCosts: readonly LayerCost[];
  /** Of the layers that are pinned, marked, asked for or selected. */
  readonly layersKept: readonly LayerKept[];
  readonly sharp: boolean;
}

/** What an edit did to what was held. */
export interface CacheChange {
  /** Id of the document that was edited. */
  readonly document: string;
  readonly cause: "edit" | "undo" | "redo";
  /** Of the frames that show something else now: held before and not now; held now. */
  readonly lost: number;
  readonly regained: number;
}

/** Where time went during a take. */
export interface TakenTime {
  /** Null for what belongs to no layer: stacking them, or reading frames of the whole that were baked. */
  readonly layer: string | null;
  /** The layer's name then; takes of earlier releases do not say. */
  readonly name?: string;
  readonly isReading?: boolean;
  readonly ms: Milliseconds;
}

export interface MeasuredTake {
  readonly startedAtMs: number;
  readonly document: {
    readonly id: string;
    /** Which state of it was played. */
    readonly state: ContentKey;
    readonly name: string;
    /** Takes of earlier releases do not say. */
    readonly variant?: string;
    readonly width: number;
    readonly height: number;
  };
  readonly budgetMs: Milliseconds;
  readonly range: FrameRange;
  /** As they acted. */
  readonly settings: PreviewSettings;
  /** Takes of earlier releases do not say. */
  readonly layers?: LayerChoices;
  /** Layers whose bakes were played where they were up to date or locked; "" is the whole. */
  readonly baked?: readonly string[];
  readonly depth: Document["depth"];
  readonly frames: readonly TakeFrame[];
  readonly summary: TakeSummary;
  /** Render time by layer during the take, summed over all workers; null is the final stack. */
  readonly layerMs: readonly TakenTime[];
  /** The frames that were rendered: how many, what they took on average, and what that was expected to be when it began; undefined where it was not known of each. */
  readonly renderedFrames?: {
    readonly frames: number;
    readonly meanMs: Milliseconds;
    readonly expectedMs?: Milliseconds;
  };
  readonly heldAtStart: { readonly memory: number; readonly disk: number };
  /** Why a chosen graphics device did not render all of it. */
  readonly graphicsFault?: string;
  /** What each frame of the range costs, as it was known at the end, and whether that was measured. */
  readonly costs?: Float32Array;
  readonly measured?: Uint8Array;
}

/** From the engine to the screens. */
export type EngineEvent =
  /** The engine ended by itself; another takes its place when it `goesOn`. @see EngineClient */
  | { readonly kind: "ended"; readonly reason: string; readonly goesOn: boolean }
  | { readonly kind: "status"; readonly status: Status }
  | { readonly kind: "timeline"; readonly data: TimelineData }
  | { readonly kind: "playhead"; readonly frame: FrameNumber }
  | { readonly kind: "cacheChange"; readonly change: CacheChange }
  | { readonly kind: "waste"; readonly waste: readonly Waste[] }
  /** What was asked for last, or nothing where it was given up. */
  | { readonly kind: "suggestedBakes"; readonly suggested: SuggestedBakes | undefined }
  /** A bake is complete. */
  | { readonly kind: "baked"; readonly bake: Bake }
  | { readonly kind: "savings"; readonly savings: Savings }
  | { readonly kind: "outlook"; readonly outlook: Outlook | undefined }
  | { readonly kind: "explanation"; readonly explanation: Explanation }
  /** What was measured so far, to be kept for the next session. */
  | { readonly kind: "costs"; readonly record: CostRecord }
  | { readonly kind: "take"; readonly take: MeasuredTake }
  /** A take ended early, and is not kept. */
  | { readonly kind: "takeStopped"; readonly changed: boolean }
  | { readonly kind: "parallelCurve"; readonly points: readonly ParallelPoint[] }
  | { readonly kind: "graphicsTrial"; readonly results: readonly GraphicsResult[] }
  | { readonly kind: "formatTrial"; readonly results: readonly FormatTrial[] }
  | { readonly kind: "browserDisk"; readonly state: BrowserDiskState; readonly items?: readonly FrameItem[] }
  /** Something went wrong that the user should know once. */
  | { readonly kind: "notice"; readonly text: string };

/** Why a frame is where it is. */
export interface Explanation {
  readonly frame: FrameNumber;
  readonly held: { readonly memory: boolean; readonly disk: boolean };
  readonly costMs: Milliseconds;
  /** Whether the cost was measured. */
  readonly measured: boolean;
  /** What rules at present. */
  readonly rule: EvictionContext["mode"];
  /** Where it stands in memory. */
  readonly standing?: Standing;
  /** What its worth is made of, away from playback. */
  readonly parts?: WorthParts;
  /** Frames until it is needed, during playback; undefined when it is not. */
  readonly nextUse?: number;
  readonly memory: { readonly usedBytes: Bytes; readonly budgetBytes: Bytes };
  readonly layers: readonly LayerExplanation[];
}

/** One layer's finished pixels of a frame. */
export interface LayerExplanation {
  readonly layer: string;
  readonly costMs: Milliseconds;
  readonly baked: boolean;
  readonly pinned: boolean;
  /** Where they stand in memory; undefined when they are not held. */
  readonly standing?: Standing;
}

/** What a render worker needs once. */
export interface RenderInit extends RenderResources {
  readonly kind: "init";
  /** Job to cancel, one slot a worker. */
  readonly cancel: Int32Array;
  readonly slot: number;
}

export type RenderRequest =
  | RenderInit
  /** What the worker needs could not be loaded. */
  | { readonly kind: "unable"; readonly reason: string }
  | {
      readonly kind: "document";
      readonly document: Document;
      readonly bakes: readonly Bake[];
      readonly unreadable: readonly string[];
    }
  | { readonly kind: "decoding"; readonly on: DecodeDevice }
  /** The device for frames of the graphics renderer. */
  | { readonly kind: "graphics"; readonly choice: GraphicsChoice }
  | ({ readonly kind: "render"; readonly job: number } & RenderTask)
  | { readonly kind: "bake"; readonly job: number; readonly bake: BakeTask };

/** What a worker is to render and store of a bake. */
export interface BakeTask extends Pick<Bake, "target" | "fraction" | "renderer" | "depth" | "sequence"> {
  readonly frame: FrameNumber;
  /** Number of its picture in the sequence. */
  readonly number: number;
  readonly packed: boolean;
}

/** Bakes to be tried, and the stored sequence that their pictures go through. */
export interface TriedBakes {
  readonly bakes: readonly Bake[];
  readonly sequence: string;
  /** Number of the first picture that is made there; each has its own. */
  readonly number: number;
  /** Those that were made before, and are read as they are. */
  readonly made?: readonly MadePicture[];
}

/** A picture of a bake that was made to try it. */
export interface MadePicture {
  /** Id of the bake, and which of its frames it shows. */
  readonly bake: string;
  readonly frame: number;
  /** Where it is stored. */
  readonly number: number;
  /** Of its file. */
  readonly bytes: Bytes;
  /** What rendering, packing and storing it took. */
  readonly ms: Milliseconds;
}

/** What a worker is to render: a frame, or one layer's finished pixels of it. */
export interface RenderTask {
  readonly frame: FrameNumber;
  readonly settings: RenderSettings;
  /** The variant, where it is not the one that is open. */
  readonly variant?: string;
  readonly layer?: string;
  /** Bakes that do not exist: those of their pictures that the frame shows are made for it and read back. */
  readonly tries?: TriedBakes;
  /** Branches that are lent for it, and keys of those that are wanted beside it. */
  readonly branches?: { readonly held: readonly Branch[]; readonly keep: readonly ContentKey[] };
}

export type RenderOutcome =
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
      /** Pictures of bakes that do not exist, where such were tried with it. */
      readonly pictures?: readonly MadePicture[];
      /** Branches that were wanted beside it. */
      readonly branches: readonly Branch[];
      readonly lent: readonly Branch[];
    }
  | ({ readonly kind: "baked"; readonly job: number; readonly key: ContentKey } & Lent)
  | ({ readonly kind: "branch"; readonly job: number; readonly branch: Branch } & BranchTiming & Lent)
  | ({
      readonly kind: "cancelled";
      readonly job: number;
      /** When nothing was rendered for it any more, by `sharedNow`; unknown where its worker ended. */
      readonly stoppedMs?: Milliseconds;
    } & Lent)
  /** `ended` when the worker is of no use afterwards: it could not start, or its WebAssembly broke off in the middle. */
  | ({ readonly kind: "failed"; readonly job: number; readonly reason: string; readonly ended: boolean } & Lent)
  /** A stored picture that was to be drawn is missing or altered; or all are, as while the server is gone. */
  | ({
      readonly kind: "unreadable";
      readonly job: number;
      readonly stored: StoredFrame;
      readonly reason: string;
      readonly all: boolean;
    } & Lent)
  /** The graphics device cannot render this; the processor may. `lost` when it is gone altogether. */
  | ({ readonly kind: "noGraphics"; readonly job: number; readonly reason: string; readonly lost: boolean } & Lent);

/** What rendering a branch took. */
interface BranchTiming {
  readonly ms: Milliseconds;
  readonly costs: readonly CostSample[];
  readonly warm: boolean;
  readonly jumped: boolean;
}

/** Branches that were lent for a task, on their way back. */
interface Lent {
  readonly lent: readonly Branch[];
}
