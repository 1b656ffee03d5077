import type {
  Bake,
  BakeTarget,
  Bytes,
  ContentKey,
  Document,
  EvictionContext,
  FormatTrial,
  FrameItem,
  FrameNumber,
  FrameRange,
  GraphicsResult,
  Milliseconds,
  Mode,
  Standing,
  TakeFrame,
  TakeSummary,
  Waste,
  WorthParts,
} from "@kinetocache/core";
import type { BakeStatus } from "../bakeRun";
import type { BrowserDiskState } from "../browserDisk/browserDisk";
import type { DiskState } from "../diskStore";
import type { FillOrder } from "../fillOrders";
import type { CostRecord, LayerCost } from "../frameCosts";
import type { LayerBars } from "../layerBars";
import type { LayerKept } from "../layerLanes";
import type { Outlook } from "../outlook";
import type { TimelineData } from "../previewTimeline";
import type { ResponseTimes } from "../responses";
import type { Savings } from "../savings";
import type { Comparison, LayerChoices, PreviewSettings } from "./command";

/** Frames a second with a number of frames in parallel. */
export interface ParallelPoint {
  readonly parallel: number;
  readonly rate: number;
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
    /** Linear memory of the render workers, and the overflow. */
    readonly workingBytes: Bytes;
    /** Frames that memory did not take, until they are shown or written to disk. */
    readonly overflowBytes: Bytes;
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
  /** Why files of clips cannot be read, by their fingerprints. */
  readonly missing: Readonly<Record<string, string>>;
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
  /** Why files could not be read, so that their layers showed nothing, by fingerprint; none in earlier releases. */
  readonly missing?: Readonly<Record<string, string>>;
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
  | { readonly kind: "bars"; readonly bars: LayerBars }
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
