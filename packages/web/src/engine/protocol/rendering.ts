import type {
  Bake,
  Branch,
  Bytes,
  ContentKey,
  CostSample,
  DecodeDevice,
  Document,
  FrameNumber,
  GraphicsChoice,
  Milliseconds,
  RenderSettings,
  RendererClass,
  StoredFrame,
} from "@kinetocache/core";
import type { MediaPlaces } from "../media/mediaBytes";
import type { RenderResources } from "../resources";

/** What a render worker needs once. */
export interface RenderInit extends RenderResources {
  /** Job to cancel, one slot a worker. */
  readonly cancel: Int32Array;
  readonly slot: number;
}

/** The document, and what stands in for its branches. */
export interface Scene {
  readonly document: Document;
  readonly bakes: readonly Bake[];
  readonly unreadable: readonly string[];
}

/** What renders frames, one at a time. What it is told holds from the next frame on. */
export interface FrameRenderer {
  init(init: RenderInit): void | Promise<void>;
  /** What it needs could not be loaded. */
  giveUp(reason: string): void | Promise<void>;
  setScene(scene: Scene): void | Promise<void>;
  setDecoding(on: DecodeDevice): void | Promise<void>;
  /** Where the files of clips lie. */
  setPlaces(places: MediaPlaces): void | Promise<void>;
  /** The device for frames of the graphics renderer. */
  setGraphics(choice: GraphicsChoice): void | Promise<void>;
  render(job: number, task: RenderTask): Promise<RenderOutcome>;
  /** Renders one picture of a bake and has the server store it. */
  bake(job: number, task: BakeTask): Promise<RenderOutcome>;
}

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

/** What a worker is to render: a frame, or finished pixels of one of its layers. */
export interface RenderTask {
  readonly frame: FrameNumber;
  readonly settings: RenderSettings;
  /** The variant, where it is not the one that is open. */
  readonly variant?: string;
  /** Key of the layer's pixels, where they alone are wanted. */
  readonly branch?: ContentKey;
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
  | ({
      readonly kind: "failed";
      readonly job: number;
      readonly reason: string;
      readonly ended: boolean;
      /** The file that could not be had, where that is why. */
      readonly lost?: LostMedia;
    } & Lent)
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

/** A file that clips are of, and that cannot be read. */
export interface LostMedia {
  readonly fingerprint: string;
  readonly reason: string;
  /** Whether that is so because the server does not answer. */
  readonly serverGone: boolean;
}

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
