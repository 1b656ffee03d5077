import type { AdviceDesk } from "./adviceDesk";
import type { Arrival } from "./arrival";
import type { Bakery } from "./bakery";
import type { BranchDesk } from "./branchDesk";
import type { BrowserPort } from "./browserDesk";
import type { Calibration } from "./calibration";
import type { Choices } from "./choices";
import type { Contention } from "./contention";
import type { CostKeeper } from "./costKeeper";
import type { Devices } from "./devices";
import type { DiskTier } from "./diskTier";
import type { DiskWork } from "./diskWork";
import type { FillOrders } from "./fillOrders";
import type { FillPace } from "./fillPace";
import type { CostBook } from "./frameCosts";
import type { FrameStorage } from "./frameStorage";
import type { HeldFrames } from "./heldFrames";
import type { JobTable } from "./jobTable";
import type { MediaShelf } from "./media/mediaShelf";
import type { OnShow } from "./onShow";
import type { OutlookDesk } from "./outlook";
import type { SparePixels } from "./pixels";
import type { Player } from "./player";
import type { EngineEvent } from "./protocol/event";
import type { RenderPool } from "./renderPool";
import type { Reports } from "./reports";
import type { Responses } from "./responses";
import type { SavingsDesk } from "./savings";
import type { SequencePort } from "./sequenceClient";
import type { Stage } from "./stage";
import type { Viewer } from "./viewer";
import type { WarmUp } from "./warmUp";

/** What the engine needs of its surroundings. */
export interface Surroundings {
  readonly pool: Pick<
    RenderPool,
    | "size"
    | "freeSlots"
    | "memoryBytes"
    | "resize"
    | "fit"
    | "setScene"
    | "setGraphics"
    | "setDecoding"
    | "setPlaces"
    | "render"
    | "bake"
    | "stop"
  >;
  readonly disks: { readonly server: FrameStorage; readonly browser: BrowserPort };
  readonly sequences: SequencePort;
  readonly viewer: Pick<Viewer, "attach" | "show">;
  readonly emit: (event: EngineEvent) => void;
}

/** What the engine works with: each of these knows none of the others, or only what it is made with. */
export interface Parts extends Pick<Surroundings, "pool" | "viewer" | "emit"> {
  readonly choices: Choices;
  readonly player: Player;
  readonly stage: Stage;
  readonly onShow: OnShow;
  /** Pixels that are held, and buffers that can be used again. */
  readonly held: HeldFrames;
  readonly spares: SparePixels;
  readonly branches: BranchDesk;
  readonly disk: DiskTier;
  readonly diskWork: DiskWork;
  /** Work that is under way, and what it was begun for. */
  readonly jobs: JobTable;
  readonly orders: FillOrders;
  readonly bakery: Bakery;
  readonly calibration: Calibration;
  readonly warmUp: WarmUp;
  readonly devices: Devices;
  readonly media: MediaShelf;
  /** What is known of costs and of how quickly frames come. */
  readonly book: CostBook;
  readonly costKeeper: CostKeeper;
  readonly contention: Contention;
  readonly arrival: Arrival;
  readonly pace: FillPace;
  /** What the screens are told. */
  readonly reports: Reports;
  readonly responses: Responses;
  readonly savings: SavingsDesk;
  readonly outlook: OutlookDesk;
  readonly advice: AdviceDesk;
  /** Does what can be done now. */
  pump(): void;
  /** The step that is being done has changed what can be done: another one follows. */
  again(): void;
}
