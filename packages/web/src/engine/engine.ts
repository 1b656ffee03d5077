import {
  clampFrame,
  findWaste,
  frameBudgetMs,
  frameBytes,
  type Bytes,
  frameOfStep,
  framesThatFit,
  schedule,
  stepAt,
  workingBuffers,
  type Action,
  type Branch,
  type ContentKey,
  type CostSample,
  type EvictionContext,
  type FrameNumber,
  type FrameRange,
  type Milliseconds,
  type Mode,
  type Origin,
  type PlayClock,
  type Purpose,
  type RenderDevice,
  type RendererClass,
  type RenderSettings,
  type Snapshot,
  type TakeConditions,
} from "@kinetocache/core";
import { dequal } from "dequal";
import { Arrival } from "./arrival";
import { AdviceDesk } from "./adviceDesk";
import { adviseBakes } from "./bakeAdvice";
import { BakeTrial } from "./bakeTrial";
import { Bakery } from "./bakery";
import { BranchDesk, NO_EXCHANGE, type Exchange } from "./branchDesk";
import { Calibration } from "./calibration";
import { BrowserDesk, type BrowserPort } from "./browserDesk";
import { CostKeeper } from "./costKeeper";
import { Devices, type GraphicsFault } from "./devices";
import { DiskTier } from "./diskTier";
import { DiskWork } from "./diskWork";
import { explain } from "./explanation";
import { FillOrders, progressOf } from "./fillOrders";
import { FillPace, restOf, type FillRest } from "./fillPace";
import { CostBook } from "./frameCosts";
import type { FrameStorage, HeldPicture } from "./frameStorage";
import { HeldFrames } from "./heldFrames";
import { JobTable, type EngineJob } from "./jobTable";
import { releasePixels, SparePixels } from "./pixels";
import { GraphicsTrial } from "./graphicsTrial";
import { ParallelTrial } from "./parallelTrial";
import type { PreviewTimeline } from "./previewTimeline";
import {
  NO_LAYER_CHOICES,
  type CacheChange,
  type Command,
  type Comparison,
  type EngineEvent,
  type LayerChoices,
  type PreviewSettings,
  type RenderOutcome,
  type Status,
  type TimelineData,
} from "./protocol";
import type { Rendered, RenderPool } from "./renderPool";
import { Reports } from "./reports";
import { Responses, sharedNow } from "./responses";
import type { SequencePort } from "./sequenceClient";
import { Stage } from "./stage";
import { inForce, isLasting, previewQuality, takeTerms } from "./tradeOffs";
import { TakeRecorder } from "./takeRecorder";
import { OutlookDesk } from "./outlook";
import { SavingsDesk, workOutSavings } from "./savings";
import { Transport } from "./transport";
import { inOrder, spread, type Course, type Trial } from "./trial";
import { TrialRun } from "./trialRun";
import type { Viewer } from "./viewer";
import { WarmUp } from "./warmUp";

interface Admittance {
  readonly origin: Origin;
  readonly keep: "memory" | "disk";
  /** Document that the frame belongs to on disk. */
  readonly owner: string;
  /** Whether background rendering made it. */
  readonly inBackground: boolean;
}

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
    | "render"
    | "bake"
    | "stop"
  >;
  readonly disks: { readonly server: FrameStorage; readonly browser: BrowserPort };
  readonly sequences: SequencePort;
  readonly viewer: Pick<Viewer, "attach" | "show">;
  readonly emit: (event: EngineEvent) => void;
}

// Frames a step when shuttling.
const FASTEST = 8;
// A drag counts as scrubbing until the pointer has rested this long.
const SCRUB_REST_MS = 250;
// Sharpening waits until the user has looked at the preview for a moment.
const SHARPEN_AFTER_MS = 400;
// A take begins when the screen has drawn that it is being measured: doing both at once delays the first frames.
const TAKE_LEAD_MS = 300;
// Frames that are on their way from disk at a time: while one is unpacked the next ones travel.
const FETCH_SLOTS = 4;
// Keys and estimates are worked out in slices of this length.
const SLICE_MS = 6;
// What an edit did is said with it where all keys are worked out in so long; of longer compositions a little later.
const EDIT_MS = 80;
// What was told of others on the processor holds for so long.
const CONTENTION_MS = 3000;
// Frames that are estimated anew whenever more was measured.
const MOST_AGAIN = 5000;
// Less than this is not worth another worker; and what one may have beside what its buffers are expected to take.
const WORTH_FITTING = 128 * 2 ** 20;
const ROOM_TO_WORK = 1.25;
// Frames that memory does not take are written to disk from the hand; more than this wait for the disk.
const MOST_IN_HAND = 4;

const NO_ACTIONS: readonly Command["kind"][] = [
  "recall",
  "storeAs",
  "contention",
  "viewer",
  "pauseFilling",
  "fill",
  "pauseFill",
  "cancelFill",
  "follow",
  "explain",
  "savings",
  "findWaste",
  "bake",
  "pauseBake",
  "stopBake",
  "diskChanged",
  "browserDisk",
  "carry",
  "stopCarrying",
];

/** Whether twice as many frames were measured as the last time that it was so. */
function knowsMore(frames: number): boolean {
  return frames >= 4 && Number.isInteger(Math.log2(frames));
}

/** Whether the user did something, so that background work gives way. */
function isAction({ kind }: Command): boolean {
  return !NO_ACTIONS.includes(kind);
}

/**
 * The preview engine: owns the clock, memory, the viewer and the jobs, and does what the scheduler says.
 * Everything enters by `handle` and `onOutcome`; everything leaves by `emit`.
 */
export class Engine {
  private settings: PreviewSettings | undefined;
  private layers: LayerChoices = NO_LAYER_CHOICES;
  private readonly spares = new SparePixels(FETCH_SLOTS);
  private readonly held = new HeldFrames((key, held) => {
    this.stage.noteHeld(key, held);
    this.outlook.note();
  }, this.spares);
  private readonly branches = new BranchDesk(this.held);
  private readonly book = new CostBook();
  private readonly stage: Stage;
  /** The layer whose own pixels the lanes show. */
  private followed: string | undefined;
  private readonly orders = new FillOrders();
  private readonly disk: DiskTier;
  private readonly diskWork: DiskWork;
  private readonly jobs = new JobTable((job) => this.pool.stop(job));
  private readonly calibration = new Calibration();
  private readonly warmUp = new WarmUp();
  /** Where frames came from that were obtained during this run of playback and not shown yet. */
  private readonly origins = new Map<ContentKey, Origin>();
  private readonly reports: Reports;
  private readonly savings: SavingsDesk;
  private readonly outlook: OutlookDesk;
  private readonly advice: AdviceDesk;
  private readonly bakery: Bakery;
  private readonly responses = new Responses();
  private readonly costKeeper: CostKeeper;
  /** As it was told last, and when. */
  private contention = { share: 1, atMs: -Infinity };

  private playhead: FrameNumber = 0;
  private range: FrameRange = { in: 0, out: 1 };
  private transport: Transport | undefined;
  private take: TakeRecorder | undefined;
  /** When a take that was asked for begins. */
  private takeStartsMs: Milliseconds | undefined;
  private trial: TrialRun | undefined;
  private readonly devices: Devices;
  private lastActionMs = 0;
  private lastScrubMs = -Infinity;
  private fillingPaused = false;
  /** An edit, and the timeline before it, of which it has not been said what it did to the cache. */
  private untold: { readonly before: PreviewTimeline; readonly cause: CacheChange["cause"] } | undefined;
  private serverWasGone = false;
  private shownKeys: readonly ContentKey[] = [];
  private shownFrame: FrameNumber | undefined;
  /** The frame that is on show at the size for scrubbing. */
  private scrubbedFrame: FrameNumber | undefined;
  private shownAtMs = 0;
  private sharpFrame: FrameNumber | undefined;
  /** Whether frames at full size are more than the chosen graphics device takes. */
  private sharpOnProcessor = false;
  private rendered = 0;
  private readonly arrival = new Arrival();
  private readonly pace = new FillPace();

  private pumping = false;
  private pumpAgain = false;
  private timer: ReturnType<typeof setTimeout> | undefined;

  private readonly pool: Surroundings["pool"];
  private readonly viewer: Surroundings["viewer"];
  private readonly emit: Surroundings["emit"];

  constructor({ pool, disks, sequences, viewer, emit }: Surroundings) {
    this.pool = pool;
    this.viewer = viewer;
    this.emit = emit;
    const tiers = {
      inMemory: (key: ContentKey) => this.held.has(key),
      onDisk: (key: ContentKey) => this.disk.has(key),
    };
    this.stage = new Stage(this.book, tiers, this.branches);
    this.devices = new Devices(pool, (text) => emit({ kind: "notice", text }));
    this.reports = new Reports(emit, {
      status: () => this.status(),
      timeline: () => this.timelineData(),
      isBusy: () =>
        this.transport !== undefined ||
        this.trial !== undefined ||
        this.diskWork.trial !== undefined ||
        this.diskWork.carrying !== undefined ||
        this.jobs.size > 0 ||
        this.disk.queued > 0,
    });
    this.disk = new DiskTier(disks, {
      onKeys: (keys, held) => {
        this.stage.noteOnDisk(keys, held);
        this.outlook.note();
      },
      onCosts: (costs) => {
        for (const [key, ms] of costs) this.book.learn(key, ms);
        this.timeline?.estimateAgain();
      },
      onChange: () => {
        this.noteServer();
        this.pump();
      },
      notice: (text) => emit({ kind: "notice", text }),
    });
    this.diskWork = new DiskWork({
      tier: this.disk,
      disks,
      desk: new BrowserDesk(disks.browser, emit, () => this.disk.refresh()),
      emit,
      onChange: () => this.pump(),
    });
    this.bakery = new Bakery({ pool, sequences, emit, onChange: () => this.pump() });
    this.savings = new SavingsDesk(emit, () => {
      const { timeline, range } = this;
      if (!timeline || !this.calibration.isDone) return undefined;
      const { document, settings, bakes } = timeline;
      return workOutSavings(document, settings, bakes, range, this.book.modelOf(settings.renderer));
    });
    this.outlook = new OutlookDesk(emit, () => this.takeConditions());
    const isReady = () => {
      const { timeline, calibration } = this;
      if (!timeline || !calibration.isDone || timeline.hasUnkeyed || timeline.hasUnestimated) return false;
      // Where one frame is estimated, all are.
      return timeline.costs.costs[this.range.out - 1]! > 0;
    };
    this.advice = new AdviceDesk(emit, isReady, (ways, sequence, onDone) => {
      const { device } = this.devices;
      this.startTrial(new BakeTrial(ways, device, this.pool.size, spread(this.range), sequence, onDone));
    });
    this.costKeeper = new CostKeeper(
      () => {
        const { timeline } = this;
        if (!timeline) return;
        emit({ kind: "costs", record: this.book.record(timeline.document.id, timeline.keys()) });
        // What was said of frames when less was known is said anew; of very many that would take too long.
        if (timeline.duration <= MOST_AGAIN) this.lookAgain();
      },
      () => this.transport === undefined,
    );
    void this.disk.refresh();
  }

  /** @param sentMs when it was sent, by `sharedNow` */
  handle(command: Command, sentMs: Milliseconds = sharedNow()): void {
    const now = performance.now();
    if (isAction(command)) {
      this.stopTrial();
      this.warmUp.jobs.forEach((job) => this.pool.stop(job));
      this.responses.noteAction(sentMs, this.fillingJobs());
    }
    switch (command.kind) {
      case "configure":
        this.configure(command.settings);
        break;
      case "open":
        this.open(command);
        break;
      case "recall":
        if (command.record.document !== this.stage.document?.id) this.costKeeper.tellNow();
        this.book.recall(command.record);
        this.lookAgain();
        break;
      case "storeAs":
        this.disk.setForms(command.forms);
        break;
      case "contention":
        this.contention = { share: command.share, atMs: now };
        break;
      case "layers":
        this.chooseLayers(command.layers);
        break;
      case "bakes":
        this.endTake();
        this.stage.setBakes(command.bakes);
        this.restart();
        break;
      case "compare":
        this.compare(command.with);
        break;
      case "fill":
        this.orders.add(command.target);
        this.followLayers();
        break;
      case "pauseFill":
        this.orders.pause(command.order, command.paused);
        break;
      case "cancelFill":
        this.cancelOrder(command.order);
        break;
      case "follow":
        this.followed = command.layer;
        this.followLayers();
        break;
      case "findWaste":
        this.findWaste();
        break;
      case "suggestBakes":
        this.suggestBakes(command.roomBytes, command.sequence);
        break;
      case "bake":
        this.bakery.start(command.bake);
        break;
      case "pauseBake":
        this.bakery.pause(command.bake, command.paused);
        break;
      case "stopBake":
        this.bakery.stop(command.bake);
        break;
      case "savings":
        this.savings.want(command.wanted);
        break;
      case "explain":
        this.explain(command.frame);
        break;
      case "removed":
        this.disk.drop(command.document);
        break;
      case "viewer":
        this.viewer.attach(command.canvas);
        this.shownKeys = [];
        this.shownFrame = undefined;
        this.sharpFrame = undefined;
        break;
      case "play":
        this.play(command.speed);
        break;
      case "pause":
        this.pause();
        break;
      case "toggle":
        if (this.transport) this.pause();
        else this.play(1);
        break;
      case "shuttle":
        this.shuttle(command.direction);
        break;
      case "seek":
        if (command.scrubbing) this.lastScrubMs = now;
        this.seek(command.frame);
        this.responses.noteSeek(sentMs, this.timeline?.isInMemory(this.playhead) ?? false);
        break;
      case "step":
        this.seek(this.playhead + command.frames);
        this.responses.noteSeek(sentMs, this.timeline?.isInMemory(this.playhead) ?? false);
        break;
      case "range":
        this.endTake();
        this.range = command.range;
        this.savings.note();
        this.outlook.drop();
        break;
      case "setEnd":
        this.setEnd(command.end);
        break;
      case "seekEnd":
        this.seek(command.end === "in" ? this.range.in : this.range.out - 1);
        break;
      case "measureTake":
        this.pause();
        this.compare(undefined);
        this.takeStartsMs = now + TAKE_LEAD_MS;
        if (command.emptied) this.held.clear(this.evictionContext());
        break;
      case "measureParallel":
        this.startTrial(new ParallelTrial(command.cores, this.course(), this.devices.device));
        break;
      case "measureGraphics":
        this.measureGraphics(command.devices);
        break;
      case "retryGraphics":
        this.devices.retry();
        this.restart();
        break;
      case "pauseFilling":
        this.fillingPaused = command.paused;
        break;
      case "diskChanged":
        void this.disk.refresh();
        break;
      case "measureFormats":
        this.measureFormats(command.location);
        break;
      case "carry":
      case "stopCarrying":
      case "browserDisk":
      case "changeBrowserDisk":
      case "clearBrowserDisk":
        void this.diskWork.handle(command);
        break;
      case "touch":
        break;
    }
    if (isAction(command)) this.lastActionMs = now;
    this.pump();
  }

  private fillingJobs(): number[] {
    return this.jobs.all().flatMap(({ id, purpose }) => (purpose === "fill" ? [id] : []));
  }

  private configure(settings: PreviewSettings): void {
    const before = this.settings;
    this.settings = settings;
    if (before && !dequal(takeTerms(before, this.layers), takeTerms(settings, this.layers))) this.endTake();
    this.pool.resize(settings.parallel);
    this.devices.choose(settings);
    this.disk.configure(settings.diskCache);
    this.held.setBudget(settings.memoryBudgetBytes, this.evictionContext());
    this.stage.lanes?.tryAgain();
    this.outlook.note();
    const isOtherDevice = before?.effectsOn !== settings.effectsOn;
    if (!before || isOtherDevice || !dequal(this.qualityWith(before), this.qualityWith(settings))) {
      this.devices.sizeChanged();
      this.restart();
    }
    // A new loop or pacing is taken up from the frame on show.
    if (this.transport && before && (before.loop !== settings.loop || before.pacing !== settings.pacing))
      this.play(this.transport.clock.speed);
  }

  private open({ document, layers, bakes, cause }: Command & { kind: "open" }): void {
    const before = this.timeline;
    this.endTake();
    if (this.stage.document?.id !== document.id) {
      this.costKeeper.tellNow();
      this.book.open(document.id);
      this.orders.clear();
      this.bakery.stopAll();
      this.followed = undefined;
    }
    this.branches.isEdited = cause !== "open";
    this.layers = layers;
    this.stage.set({ document, bakes });
    this.restart();
    const isEdit = cause !== "open" && this.timeline !== undefined && before?.document.id === document.id;
    this.untold = isEdit ? { before, cause } : undefined;
    if (isEdit) this.timeline.computeKeys(EDIT_MS);
    this.tellChange();
  }

  /** Says what the last edit did to the cache, as soon as all frames are known. */
  private tellChange(): void {
    const { untold, timeline } = this;
    if (!untold || !timeline || timeline.hasUnkeyed) return;
    this.untold = undefined;
    const change = { document: timeline.document.id, cause: untold.cause, ...timeline.compareWith(untold.before) };
    this.reports.now();
    this.emit({ kind: "cacheChange", change });
  }

  private get timeline(): PreviewTimeline | undefined {
    return this.stage.timeline;
  }

  /** A new timeline: the document or what decides its pixels has changed. */
  private restart(): void {
    const { document, bakes, unreadable } = this.stage;
    if (!document || !this.settings) return;
    const before = this.timeline;
    const isNew = before?.document.id !== document.id;
    this.pool.setScene({ document, bakes, unreadable });
    this.untold = undefined;
    this.stage.build(this.qualityWith(this.settings));
    const timeline = this.timeline!;
    this.savings.note();
    this.outlook.drop();
    this.followLayers();
    this.sharpFrame = undefined;
    this.sharpOnProcessor = false;
    this.shownFrame = undefined;
    this.scrubbedFrame = undefined;
    if (isNew) {
      this.transport = undefined;
      this.take = undefined;
      this.takeStartsMs = undefined;
      this.playhead = 0;
      this.range = { in: 0, out: timeline.duration };
    }
    const { renderer } = timeline.settings;
    const isUnmeasured = isNew || this.book.framesOn(renderer) === 0;
    if (isUnmeasured && !timeline.isKnownTo(this.book.modelOf(renderer))) this.calibration.start(timeline.duration);
    if (isNew) this.warmUp.start(this.course(), this.pool.size);
    timeline.computeKeys(SLICE_MS);
    if (isNew || before?.settings.fraction !== timeline.settings.fraction) this.fitWorkers(timeline);
    this.jobs.stopWhere(({ purpose, key }) => purpose !== "order" && !this.stage.has(key));
    // Nobody waits for what memory did not take of what was on the stage before.
    for (const key of this.held.handKeys) if (!this.stage.has(key) && !this.disk.isQueued(key)) this.held.letGo(key);
  }

  /** What a larger composition made workers take goes back. */
  private fitWorkers({ document, settings }: PreviewTimeline): void {
    if (this.pool.memoryBytes < WORTH_FITTING) return;
    this.pool.fit(ROOM_TO_WORK * workingBuffers(document, settings).memoryBytes + WORTH_FITTING);
  }

  /** Baked pictures that could not be read while the server was gone are tried again when it is back. */
  private noteServer(): void {
    const isGone = this.disk.state.kind === "unreachable";
    if (this.serverWasGone && !isGone && this.stage.readAgain()) this.restart();
    this.serverWasGone = isGone;
  }

  private qualityWith(settings: PreviewSettings): RenderSettings {
    return previewQuality(settings, this.layers, this.devices.use(this.devices.device));
  }

  private chooseLayers(layers: LayerChoices): void {
    const before = this.layers;
    this.layers = layers;
    if (this.settings && !dequal(takeTerms(this.settings, before), takeTerms(this.settings, layers))) this.endTake();
    this.stage.lanes?.tryAgain();
    const { solo, effectsOff } = layers;
    if (dequal([before.solo, before.effectsOff], [solo, effectsOff])) this.followLayers();
    else this.restart();
  }

  private compare(comparison: Comparison | undefined): void {
    if (!this.stage.compare(comparison)) return;
    this.shownFrame = undefined;
    this.sharpFrame = undefined;
  }

  /** Layers whose pixels are kept, whatever they cost. */
  private get wantedLayers(): ReadonlySet<string> {
    const { marked, pinned } = this.layers;
    return new Set([...marked, ...pinned, ...this.orders.layers]);
  }

  private followLayers(): void {
    const followed = new Set(this.wantedLayers);
    if (this.followed !== undefined) followed.add(this.followed);
    this.stage.lanes?.follow(followed);
  }

  private cancelOrder(order: number): void {
    if (!this.orders.remove(order)) return;
    this.jobs.stopWhere(({ purpose }) => purpose === "order");
    this.followLayers();
  }

  private play(speed: number): void {
    if (!this.timeline) return;
    const inRange = this.playhead >= this.range.in && this.playhead < this.range.out;
    const startFrame = inRange ? this.playhead : speed > 0 ? this.range.in : this.range.out - 1;
    this.begin({ startFrame, speed, loop: this.settings!.loop });
  }

  private shuttle(direction: 1 | -1): void {
    const speed = this.transport?.clock.speed ?? 0;
    const faster = Math.sign(speed) === direction ? Math.min(FASTEST, Math.abs(speed) * 2) : 1;
    this.play(direction * faster);
  }

  private begin(run: Pick<PlayClock, "startFrame" | "speed" | "loop">): void {
    this.transport = new Transport(
      { ...run, startMs: performance.now(), pacing: this.settings!.pacing },
      this.budgetMs,
    );
    this.origins.clear();
    this.sharpFrame = undefined;
    this.scrubbedFrame = undefined;
    this.takeStartsMs = undefined;
  }

  /** @param changed whether it is because what a take is of has changed */
  private pause(changed = false): void {
    this.transport = undefined;
    this.held.letGoAll(this.shownKeys);
    if (this.isTaking) this.emit({ kind: "takeStopped", changed });
    this.take = undefined;
    this.takeStartsMs = undefined;
  }

  private get isTaking(): boolean {
    return this.take !== undefined || this.takeStartsMs !== undefined;
  }

  /** A take is of one state under the same settings from its start to its end. */
  private endTake(): void {
    if (this.isTaking) this.pause(true);
  }

  private seek(frame: FrameNumber): void {
    this.pause();
    this.playhead = clampFrame(frame, { in: 0, out: this.timeline?.duration ?? 1 });
    this.sharpFrame = undefined;
    this.reports.playhead(this.playhead, false);
  }

  /** The other end gives way where it has to: a range holds at least one frame. */
  private setEnd(end: "in" | "out"): void {
    this.endTake();
    const { playhead, range } = this;
    this.range =
      end === "in"
        ? { in: playhead, out: Math.max(range.out, playhead + 1) }
        : { in: Math.min(range.in, playhead), out: playhead + 1 };
    this.outlook.drop();
  }

  private startTake(): void {
    if (!this.timeline) return;
    this.timeline.computeKeys(Infinity);
    this.begin({ startFrame: this.range.in, speed: 1, loop: false });
    this.take = new TakeRecorder({
      document: this.stage.document!,
      bakes: this.stage.bakes,
      settings: inForce(this.settings!),
      layers: this.layers,
      graphicsFault: this.devices.faultReason,
      range: this.range,
      residency: this.timeline.residency,
      expected: this.timeline.costs.costs.slice(),
      startMs: this.transport!.clock.startMs,
    });
  }

  /** Playback goes on with the next frame, by the processor. */
  private fallBack(fault: GraphicsFault): void {
    if (!this.devices.fail(fault)) return;
    this.take?.fellBack(fault.reason);
    this.restart();
  }

  private measureGraphics(devices: readonly RenderDevice[]): void {
    if (!this.timeline) return;
    const comparable = this.timeline.document.depth === "8-bit";
    this.startTrial(new GraphicsTrial(devices, this.course(), this.settings!.parallel, comparable));
  }

  private course(): Course {
    const hasClips = Object.values(this.stage.document?.assets ?? {}).some(({ kind }) => kind === "clip");
    return hasClips ? inOrder(this.range) : spread(this.range);
  }

  private startTrial(trial: Trial): void {
    if (!this.timeline) return;
    this.pause();
    this.jobs.stopWhere(() => true);
    this.trial = new TrialRun(trial, {
      pool: this.pool,
      emit: this.emit,
      nextJob: () => this.jobs.newId(),
      rendererFor: (device) => this.devices.use(device),
    });
  }

  /** Everything else rests meanwhile. */
  private measureFormats(location: string): void {
    const { timeline } = this;
    if (!timeline) return;
    this.pause();
    this.jobs.stopWhere(() => true);
    const held = [...this.held.keys()].filter((key) => timeline.has(key));
    void this.diskWork.measureFormats(
      location,
      held.flatMap((key) => this.held.peek(key) ?? []),
    );
  }

  private stopTrial(): void {
    this.diskWork.stopMeasuring();
    const wasAdvising = this.advice.drop();
    if (this.trial) this.trial.stop();
    else if (wasAdvising) this.emit({ kind: "notice", text: "Finding out what is worth baking was stopped." });
    this.dropTrial();
  }

  /** The workers are back at what they were set to. */
  private dropTrial(): void {
    if (!this.trial) return;
    this.trial = undefined;
    this.pool.resize(this.settings!.parallel);
    this.devices.use(this.devices.device);
  }

  private endPlayback(): void {
    const { take } = this;
    this.take = undefined;
    this.transport = undefined;
    this.lookAgain();
    if (!take) return;
    const { costs, measured } = this.timeline!.costs;
    const { in: first, out } = this.range;
    this.emit({
      kind: "take",
      take: { ...take.finish(), costs: costs.slice(first, out), measured: measured.slice(first, out) },
    });
  }

  private modeAt(now: Milliseconds): Mode {
    if (this.transport) return "playing";
    if (now - this.lastScrubMs < SCRUB_REST_MS) return "scrubbing";
    return this.mayFill() && now - this.lastActionMs >= this.settings!.idleDelayMs ? "filling" : "parked";
  }

  private mayFill(): boolean {
    if (this.transport || this.takeStartsMs !== undefined) return false;
    return this.settings?.background !== "Off" && !this.fillingPaused && this.calibration.isDone;
  }

  /** Carries out what the scheduler says until it has nothing more to say. */
  private pump(): void {
    if (this.pumping) {
      this.pumpAgain = true;
      return;
    }
    this.pumping = true;
    let now = performance.now();
    try {
      do {
        this.pumpAgain = false;
        now = performance.now();
        if (this.timeline) this.step(this.timeline, now);
      } while (this.pumpAgain);
    } catch (error) {
      // One step failed; the next message or timer takes the next one.
      const text = error instanceof Error ? error.message : String(error);
      this.emit({ kind: "notice", text: `The preview engine: ${text}` });
    } finally {
      this.pumping = false;
    }
    this.setTimer(now);
    this.reports.schedule();
  }

  private step(timeline: PreviewTimeline, now: Milliseconds): void {
    if (this.trial) {
      // What is under way ends first; then the workers are the trial's.
      if (this.jobs.size === 0 && this.ownJobs === 0) this.trial.step(timeline.settings, now);
      return;
    }
    if (this.diskWork.trial) return;
    if (this.takeStartsMs !== undefined && now >= this.takeStartsMs) {
      this.startTake();
      // Its clock began after `now`, and nothing is due before that.
      this.pumpAgain = true;
      return;
    }
    const mode = this.modeAt(now);
    timeline.keyOf(this.playhead);
    const bakes = this.bakery.isActive && !this.take && this.takeStartsMs === undefined;
    // What was asked for comes before what fills by itself.
    const acting = bakes && mode === "filling" ? "parked" : mode;
    const actions = schedule(this.snapshot(timeline, acting, now));
    for (const action of actions) this.perform(action);
    this.endOrder(timeline, actions, mode);
    if (bakes && (mode !== "playing" || !this.settings!.pauseFillingWhilePlaying)) this.bakeOn(timeline);
    if (mode !== "playing") this.calibrate(timeline);
    // Playing and filling warm workers up themselves.
    if (mode === "parked") this.warmUpWorkers(timeline, now);
    else this.warmUp.drop();
    this.disk.setQuiet(mode === "playing" || mode === "scrubbing");
  }

  /** Bakes on the workers that nothing else needs. */
  private bakeOn(timeline: PreviewTimeline): void {
    if (!this.calibration.isDone) return;
    this.bakery.step(
      this.stage.document!,
      () => this.jobs.newId(),
      (id, bake, frame) => {
        // The scheduler knows it as something that was ordered, and lets it give way to what is to be shown.
        const how = { kind: "render", purpose: "order", keep: "memory", key: `${bake.id}:${frame}` } as const;
        this.jobs.add({ ...how, frame, layer: `bake ${bake.id}`, timeline }, id);
      },
    );
  }

  private snapshot(timeline: PreviewTimeline, mode: Mode, now: Milliseconds): Snapshot {
    const { transport } = this;
    const { window } = this.settings!;
    const memoryFits = this.memoryFits(timeline);
    const inHand = this.held.handKeys;
    const lasting = isLasting(timeline.settings);
    return {
      nowMs: now,
      mode,
      playhead: this.playhead,
      duration: timeline.duration,
      range: this.range,
      budgetMs: this.budgetMs,
      residency: this.stage.residency(transport !== undefined),
      jobs: this.jobs.all(),
      renderSlots: this.pool.size - this.ownJobs,
      fetchSlots: FETCH_SLOTS,
      renderMs: (frame) => this.arrival.expectedMs(timeline.costs.costs[frame]!),
      fetchMs: this.disk.fetchMs,
      window,
      clock: transport?.clock,
      shownStep: transport?.shownStep ?? -1,
      shownFrame: this.shownFrame,
      memoryFits,
      memoryRoom: mode === "filling" || this.orders.active.length > 0 ? this.memoryRoom(timeline, memoryFits) : 0,
      diskTakes: (frame) =>
        lasting && inHand.length < MOST_IN_HAND && this.disk.wants(timeline.costs.costs[frame]!, true),
      sharpen: this.sharpenState(mode, now),
      inHand: new Set(inHand.flatMap((key) => timeline.framesOf(key))),
      failed: timeline.failed,
      scrub: mode === "scrubbing" ? this.scrubState(timeline) : "off",
      orders: this.takeStartsMs === undefined && this.calibration.isDone ? this.orders.active : [],
      marked: timeline.settings.renderer === "cpu-1" ? this.layers.marked : [],
      layerFilled: (layer, frame) => this.stage.lanes!.isFilled(layer, frame),
      idleFills: this.settings!.background === "Marked" ? "marked" : "frames",
      fillsWhilePlaying: !this.settings!.pauseFillingWhilePlaying && !this.take,
    };
  }

  /** While playing, what is held changes with every frame, and the answer is being played. */
  private isOutlookDue(now: Milliseconds): boolean {
    const dueMs = this.transport || this.trial ? undefined : this.outlook.dueMs(now);
    return dueMs !== undefined && dueMs <= now && this.calibration.isDone;
  }

  /** Those of a take that would begin now. */
  private takeConditions(): (TakeConditions & { readonly document: string }) | undefined {
    const { timeline } = this;
    if (!timeline) return undefined;
    const { pacing } = this.settings!;
    const { residency } = timeline;
    const { costs } = timeline.costs;
    const { in: first, out } = this.range;
    // What rendering takes of what is not held has to be known.
    if (residency.subarray(first, out).some((tiers, at) => tiers === 0 && costs[first + at] === 0)) return undefined;
    const tookMs = (frame: FrameNumber) => {
      const costMs = costs[frame]!;
      return costMs > 0 ? this.pace.renderMs(costMs) : this.arrival.expectedMs(0);
    };
    const snapshot = this.snapshot(timeline, "parked", performance.now());
    // A take is of the open variant alone, on all workers.
    return { ...snapshot, residency, renderSlots: this.pool.size, pacing, tookMs, document: timeline.document.id };
  }

  private scrubState(timeline: PreviewTimeline): Snapshot["scrub"] {
    const fraction = inForce(this.settings!).scrubFraction;
    if (fraction === timeline.settings.fraction || this.stage.other) return "off";
    if (this.scrubbedFrame === this.playhead) return "shown";
    return this.held.has(timeline.keyAt(this.playhead, fraction)) ? "held" : "wanted";
  }

  /** An order for which there is nothing left to start is done. */
  private endOrder(timeline: PreviewTimeline, actions: readonly Action[], mode: Mode): void {
    const order = this.orders.first;
    if (!order || mode === "playing" || this.pool.freeSlots === 0 || !this.calibration.isDone) return;
    const goesOn =
      actions.some((action) => "purpose" in action && action.purpose === "order") ||
      this.jobs.all().some(({ purpose }) => purpose === "order") ||
      this.held.handKeys.length >= MOST_IN_HAND;
    if (goesOn) return;
    const { held, total } = progressOf(order.target, timeline, this.stage.lanes!);
    this.orders.remove(order.id);
    this.followLayers();
    if (held < total)
      this.emit({ kind: "notice", text: `Filling ended at ${held} of ${total} frames: memory takes no more of them.` });
    this.pumpAgain = true;
  }

  private get budgetMs(): Milliseconds {
    return frameBudgetMs(this.timeline!.composition.rate);
  }

  private memoryFits({ composition, settings, document }: PreviewTimeline): number {
    return framesThatFit(this.held.budgetBytes, frameBytes(composition, settings.fraction, document.depth));
  }

  /** Frames of this timeline that fit beside those already held; what belongs elsewhere gives way. */
  private memoryRoom(timeline: PreviewTimeline, memoryFits: number): number {
    let own = 0;
    for (const key of this.held.keys()) if (timeline.has(key)) own++;
    return Math.max(0, memoryFits - own);
  }

  private sharpenState(mode: Mode, now: Milliseconds): Snapshot["sharpen"] {
    if (mode === "scrubbing" || mode === "playing" || this.takeStartsMs !== undefined) return "off";
    if (!this.settings!.sharpenWhenParked || this.timeline!.settings.fraction === 1 || this.stage.other) return "off";
    if (this.sharpFrame === this.playhead) return "done";
    return now - this.shownAtMs >= SHARPEN_AFTER_MS ? "wanted" : "off";
  }

  private perform(action: Action): void {
    switch (action.kind) {
      case "show":
        this.show(action.frame, action.step);
        break;
      case "skip":
        this.skip(action.frame, action.step);
        break;
      case "render":
        if (action.layer !== undefined) this.startBranch(action.frame, action.layer, action.purpose);
        else this.startRender(action.frame, action.purpose, action.keep);
        break;
      case "showScrub":
        this.showScrub(action.frame);
        break;
      case "fetch":
        this.startFetch(action.frame, action.purpose);
        break;
      case "cancel": {
        const job = this.jobs.get(action.job);
        if (job) this.jobs.stop(job);
        break;
      }
      case "end":
        this.endPlayback();
        this.pumpAgain = true;
        break;
    }
  }

  private show(frame: FrameNumber, step: number): void {
    const keys = this.stage
      .sides(this.transport !== undefined)
      .map((side) => side.keyOf(Math.min(frame, side.duration - 1)));
    const context = this.evictionContext();
    const pictures = keys.map((key) => this.held.use(key, context));
    const gone = keys.filter((_, index) => !pictures[index]);
    if (gone.length > 0) {
      // Noted as held but gone: the note is corrected and the frame is obtained again.
      gone.forEach((key) => this.stage.noteHeld(key, false));
      this.pumpAgain = true;
      return;
    }
    const isOnShow = keys.join() === this.shownKeys.join() && this.shownFrame !== undefined;
    if (!isOnShow || this.sharpFrame !== undefined || this.scrubbedFrame !== undefined)
      this.viewer.show(pictures as HeldPicture[], this.stage.comparison);
    const now = performance.now();
    const origin = keys.map((key) => this.origins.get(key)).find((one) => one !== undefined) ?? "memory";
    keys.forEach((key) => this.origins.delete(key));
    for (const key of this.shownKeys) if (!keys.includes(key)) this.held.letGo(key);
    this.shownKeys = keys;
    this.shownFrame = frame;
    this.responses.noteShown();
    this.shownAtMs = now;
    this.sharpFrame = undefined;
    this.scrubbedFrame = undefined;
    if (this.transport) {
      this.playhead = frame;
      const stallMs = this.transport.show(step, now);
      this.take?.shown(step, frame, now, origin, this.budgetMs);
      if (stallMs > 0) this.take?.stalled(stallMs);
    }
    this.reports.playhead(frame, this.transport !== undefined);
    this.pumpAgain = true;
  }

  private showScrub(frame: FrameNumber): void {
    const key = this.timeline!.keyAt(frame, inForce(this.settings!).scrubFraction);
    const picture = this.held.use(key, this.evictionContext());
    if (!picture) return;
    this.viewer.show([picture], undefined);
    this.scrubbedFrame = frame;
    this.shownFrame = undefined;
    this.shownAtMs = performance.now();
    this.sharpFrame = undefined;
  }

  private skip(frame: FrameNumber, step: number): void {
    for (const side of this.stage.sides(true)) this.held.letGo(side.keyOf(Math.min(frame, side.duration - 1)));
    this.playhead = frame;
    this.transport!.skip(step);
    this.take?.skipped(step, frame, this.budgetMs);
    this.reports.playhead(frame, true);
  }

  private startRender(frame: FrameNumber, purpose: Purpose, keep: "memory" | "disk"): void {
    const timeline = this.timeline!;
    if (this.pool.freeSlots === 0) return;
    if (purpose === "sharpen" || purpose === "scrub") {
      const fraction = purpose === "sharpen" ? 1 : inForce(this.settings!).scrubFraction;
      const isOnProcessor = purpose === "sharpen" && this.sharpOnProcessor;
      const renderer = isOnProcessor ? "cpu-1" : timeline.settings.renderer;
      const key = timeline.keyAt(frame, fraction);
      if (purpose === "scrub") this.stage.noteScrubbed(key, frame);
      const job = this.jobs.add({ kind: "render", frame, purpose, keep, key, timeline });
      this.pool.render(job.id, { frame, settings: { ...timeline.settings, fraction, renderer } });
      return;
    }
    const side = this.lacking(frame);
    const key = side?.keyOf(frame);
    // The key may only now be known, and be held already; or a twin of this frame is on its way.
    if (!side || key === undefined || side.isInMemory(frame)) {
      this.pumpAgain = true;
      return;
    }
    if (this.jobs.isUnderWay(key)) return;
    if (this.stage.other && side.isOnDisk(frame)) {
      this.startFetch(frame, purpose);
      return;
    }
    const branches = this.exchange(side, frame);
    const job = this.jobs.add({ kind: "render", frame, purpose, keep, key, timeline: side, taken: branches.held });
    const variant = side === timeline ? undefined : side.document.main;
    this.pool.render(job.id, { frame, settings: side.settings, variant, branches });
  }

  /** The side of a comparison, or the only one, whose frame is not in memory. */
  private lacking(frame: FrameNumber): PreviewTimeline | undefined {
    return this.stage.lacking(frame, this.transport !== undefined);
  }

  /** Renders one layer's finished pixels. */
  private startBranch(frame: FrameNumber, layer: string, purpose: Purpose): void {
    const timeline = this.timeline!;
    if (this.pool.freeSlots === 0) return;
    const node = timeline.graphOf(frame).root.inputs.find((input) => input.layer === layer);
    if (!node || this.held.has(node.key) || this.jobs.isUnderWay(node.key)) return;
    this.branches.note(node.key, layer, frame);
    const job = this.jobs.add({ kind: "render", frame, purpose, keep: "memory", key: node.key, layer, timeline });
    this.pool.render(job.id, { frame, settings: timeline.settings, layer });
  }

  /** Branches that go along with a frame. Only the processor's workers take them, and none are kept during playback. */
  private exchange(side: PreviewTimeline, frame: FrameNumber): Exchange {
    const { renderer } = side.settings;
    if (renderer !== "cpu-1") return NO_EXCHANGE;
    const { root } = side.graphOf(frame);
    const context = this.transport ? undefined : this.evictionContext();
    const wanted = new Set(this.wantedLayers);
    // A nested composition is what is put together beforehand: it is what stays while the rest is tried out.
    for (const { id, source } of side.composition.layers) if (source.kind === "composition") wanted.add(id);
    return this.branches.exchange(root, frame, this.book.modelOf(renderer), wanted, context);
  }

  private startFetch(frame: FrameNumber, purpose: Purpose): void {
    const side = this.lacking(frame);
    if (!side) return;
    const key = side.keyOf(frame);
    if (this.jobs.isUnderWay(key)) return;
    if (!side.isOnDisk(frame)) {
      this.startRender(frame, purpose, "memory");
      return;
    }
    const job = this.jobs.add({ kind: "fetch", frame, purpose, keep: "memory", key, timeline: side });
    void this.disk.fetch(key, this.spares.take()).then((picture) => {
      this.jobs.end(job.id);
      if (picture) {
        this.pace.fetched(performance.now(), job.startedMs);
        this.take?.read(picture.bytes);
        const costMs = this.book.measured(key)?.ms ?? job.timeline.costs.costs[frame] ?? 0;
        this.admit(key, picture, costMs, {
          origin: "disk",
          keep: "memory",
          owner: job.timeline.document.id,
          inBackground: false,
        });
      }
      this.pump();
    });
  }

  private calibrate(timeline: PreviewTimeline): void {
    if (this.pool.freeSlots === 0 || this.shownKeys.length === 0) return;
    const id = this.jobs.newId();
    const next = this.calibration.next(id);
    if (!next) return;
    const { frame, fraction } = next;
    this.pool.render(id, { frame, settings: { ...timeline.settings, fraction } });
  }

  /** Frames under way that nothing is shown of. */
  private get ownJobs(): number {
    return this.warmUp.jobs.size + Number(this.calibration.job !== undefined);
  }

  private warmUpWorkers(timeline: PreviewTimeline, now: Milliseconds): void {
    if (!this.calibration.isDone || this.isTaking || this.shownKeys.length === 0) return;
    while (this.pool.freeSlots > 0) {
      const next = this.warmUp.next(() => this.jobs.newId(), now);
      if (!next) return;
      this.pool.render(next.job, { frame: next.frame, settings: timeline.settings });
    }
  }

  /** Estimates follow what was learned since they were made. */
  private lookAgain(): void {
    this.timeline?.estimateAgain();
    this.savings.note();
  }

  /** Share of the time in which the render workers had the processor, as far as it was told lately. */
  private get share(): number {
    const { share, atMs } = this.contention;
    return performance.now() - atMs < CONTENTION_MS ? share : 1;
  }

  private learn(renderer: RendererClass, costs: readonly CostSample[]): void {
    const { share } = this;
    const model = this.book.modelOf(renderer);
    for (const cost of costs) model.add({ ...cost, ms: cost.ms * share }, share * share);
  }

  /** What a render worker sends back. */
  onOutcome(outcome: RenderOutcome): void {
    if (this.trial?.owns(outcome.job)) {
      if (this.trial.end(outcome)) {
        this.dropTrial();
        // What could not be tried is not advised.
        if (!this.advice.isDue) this.advice.drop();
      }
      this.pump();
      return;
    }
    if (this.calibration.end(outcome.job)) {
      if (outcome.kind === "rendered" && outcome.warm) {
        this.learn(outcome.renderer, outcome.costs);
      } else if (outcome.kind === "noGraphics" && this.isOnGraphics) this.fallBack(outcome);
      if (this.calibration.isDone) {
        this.lookAgain();
      }
      this.pump();
      return;
    }
    if (this.warmUp.end(outcome.job)) {
      // A frame that fails is tried again when it is wanted, and said then.
      if (outcome.kind === "rendered") releasePixels(outcome.pixels);
      else if (outcome.kind === "noGraphics" && this.isOnGraphics) this.fallBack(outcome);
      this.pump();
      return;
    }
    const job = this.jobs.end(outcome.job);
    this.responses.noteEnd(outcome.job, outcome.kind === "cancelled" ? outcome.stoppedMs : undefined);
    this.takeBack(job, outcome);
    if (this.bakery.end(outcome)) {
      this.pump();
      return;
    }
    if (job && outcome.kind === "rendered") this.accept(job, outcome);
    else if (job && outcome.kind === "branch") this.acceptBranch(job, outcome);
    else if (job && outcome.kind === "unreadable") this.playLive(job, outcome);
    else if (outcome.kind === "rendered") releasePixels(outcome.pixels);
    else if (job && outcome.kind === "noGraphics") this.endWithoutGraphics(job, outcome);
    else if (job && outcome.kind === "failed") {
      if (job.layer !== undefined) this.stage.lanes?.refuse(job.layer, job.frame);
      else job.timeline.failed.add(job.frame);
      this.emit({ kind: "notice", text: `Frame ${job.frame} could not be rendered: ${outcome.reason}` });
    }
    this.pump();
  }

  /** What was lent for a job comes back, or is lost with the worker that had it. */
  private takeBack(job: EngineJob | undefined, { lent }: RenderOutcome): void {
    lent.forEach((branch) => this.held.takeBack(branch));
    const back = new Set(lent.map(({ key }) => key));
    for (const { key } of job?.taken ?? []) if (!back.has(key)) this.held.lose(key);
  }

  private acceptBranch(job: EngineJob, { branch, ms, costs, warm, jumped }: RenderOutcome & { kind: "branch" }): void {
    if (warm && !jumped) this.learn(job.timeline.settings.renderer, costs);
    this.admitBranch(branch, ms, job.frame);
  }

  private admitBranch(branch: Branch, costMs: Milliseconds, frame: FrameNumber): void {
    const layer = this.branches.layerOf(branch.key);
    // The document may have changed since it was asked for.
    if (layer === undefined || this.held.has(branch.key)) {
      releasePixels(branch.pixels);
      return;
    }
    if (!this.branches.admit(branch, costMs, this.evictionContext())) this.stage.lanes?.refuse(layer, frame);
  }

  /** A baked picture cannot be read: the live branch is played there, and it is said. */
  private playLive(job: EngineJob, { stored, reason, all }: RenderOutcome & { kind: "unreadable" }): void {
    if (this.stage.bakesOf(stored).length === 0) {
      job.timeline.failed.add(job.frame);
      this.emit({ kind: "notice", text: `Frame ${job.frame} could not be rendered: ${reason}` });
      return;
    }
    const isFirst = this.stage.noteUnreadable(stored, all);
    if (isFirst === undefined) return;
    if (isFirst)
      this.emit({ kind: "notice", text: `A baked frame is not played, the live layer is shown instead: ${reason}` });
    if (all) void this.disk.refresh();
    this.restart();
  }

  private get isOnGraphics(): boolean {
    return this.timeline?.settings.renderer === "gpu-1";
  }

  private endWithoutGraphics(job: EngineJob, fault: GraphicsFault): void {
    // It was asked for before the processor took over.
    if (job.timeline.settings.renderer !== this.timeline?.settings.renderer) return;
    // A frame at full size may be more than the device takes, while the preview is not.
    if (job.purpose === "sharpen" && !fault.lost) this.sharpOnProcessor = true;
    else this.fallBack(fault);
  }

  private accept(job: EngineJob, rendered: Rendered): void {
    const { key, width, height, pixels, ms, costs, warm, jumped } = rendered;
    const { timeline, frame } = job;
    const { document } = timeline;
    const picture: HeldPicture = { width, height, depth: document.depth, pixels };
    if (job.purpose === "scrub") {
      // What memory does not take is shown from the hand, if it is still wanted.
      if (this.held.put(key, picture, ms, this.evictionContext())) return;
      if (this.stage.isPresent(timeline)) this.held.keepInHand(key, picture, true);
      else releasePixels(pixels);
      return;
    }
    if (job.purpose === "sharpen") {
      const isOnShow = !this.transport && frame === this.playhead && this.shownFrame === frame;
      if (isOnShow && !job.stopping && timeline === this.timeline) {
        this.viewer.show([picture], undefined);
        this.sharpFrame = frame;
      }
      releasePixels(pixels);
      return;
    }
    this.rendered++;
    this.devices.noteDecoding(rendered);
    const isPresent = this.stage.isPresent(timeline);
    const tookMs = performance.now() - job.startedMs;
    const expectedMs = isPresent ? timeline.costs.costs[frame]! : 0;
    this.arrival.note(tookMs, expectedMs);
    if (warm && !jumped) {
      const timing = { ...rendered, pixels: width * height, share: this.share };
      (isPresent ? timeline : this.timeline!).measure(key, timing, timeline.stillKeys(frame), job.taken);
      this.costKeeper.note();
      this.outlook.note();
      // What was taken as it came is looked at again once more is known.
      if (knowsMore(this.book.framesOn(rendered.renderer))) this.lookAgain();
    }
    this.take?.rendered(frame, rendered);
    for (const branch of rendered.branches) {
      const layer = this.branches.layerOf(branch.key);
      const own = costs.filter((cost) => cost.layer === layer).reduce((sum, cost) => sum + cost.ms, 0);
      this.admitBranch(branch, own, frame);
    }
    const inBackground = job.purpose === "fill" || job.purpose === "order";
    // One time that it took is not what it costs: others may have had the processor, or the compiler.
    const costMs = timeline.costs.costs[frame]! || ms;
    // What compiling its code took says nothing of the rest.
    if (warm) this.pace.rendered(tookMs, costMs);
    this.admit(key, picture, costMs, { origin: "rendered", keep: job.keep, owner: document.id, inBackground });
  }

  /** Takes a finished frame into memory, or for the moment in hand, and passes new ones on to the disk. */
  private admit(key: ContentKey, picture: HeldPicture, costMs: Milliseconds, how: Admittance): void {
    const { origin, keep, owner, inBackground } = how;
    if (this.held.isCached(key)) {
      releasePixels(picture.pixels);
      return;
    }
    this.held.letGo(key);
    const context = this.evictionContext();
    const admitted = keep === "memory" && this.held.put(key, picture, costMs, context);
    if (this.transport) this.origins.set(key, origin);
    const isNew = origin === "rendered";
    const lasts = this.timeline !== undefined && isLasting(this.timeline.settings);
    const wantsDisk = isNew && lasts && !this.disk.has(key) && this.disk.wants(costMs, inBackground);
    if (!admitted) {
      const shows = keep === "memory" && this.stage.has(key) && this.isAhead(key, context);
      // Nothing is written during playback: of what comes too late a few wait for its end.
      const waits = wantsDisk && (!this.transport || this.held.handKeys.length < MOST_IN_HAND);
      if (shows || waits) this.held.keepInHand(key, picture, shows);
      else releasePixels(picture.pixels);
    }
    if (!isNew || !lasts) return;
    this.disk.offer({
      key,
      owner,
      costMs,
      inBackground,
      picture: () => this.held.peek(key),
      settled: () => {
        if (!this.shownKeys.includes(key) && !this.transport) this.held.letGo(key);
      },
    });
  }

  /** Whether a frame is still to be shown soon: what comes too late during playback is not. */
  private isAhead(key: ContentKey, context: EvictionContext): boolean {
    return context.mode !== "playback" || context.nextUse(key) <= this.settings!.window.after + this.pool.size;
  }

  private evictionContext(): EvictionContext {
    const { playhead, range, transport } = this;
    return this.stage.evictionContext({ playhead, range, direction: transport?.direction }, this.layers.pinned);
  }

  private findWaste(): void {
    if (!this.timeline) return;
    const { document, settings, bakes } = this.timeline;
    const model = this.book.modelOf(settings.renderer);
    this.emit({ kind: "waste", waste: findWaste(document, { settings, bakes, model }) });
  }

  private suggestBakes(roomBytes: Bytes, sequence: string): void {
    this.pause();
    this.advice.start(sequence, () => {
      const { timeline, range } = this;
      const conditions = this.takeConditions();
      if (!timeline || !conditions) return undefined;
      const model = this.book.modelOf(timeline.settings.renderer);
      const { readRate } = this.disk;
      return adviseBakes({ timeline, range, conditions, model, roomBytes, readRate });
    });
  }

  private explain(frame: FrameNumber): void {
    const { timeline } = this;
    if (!timeline || frame >= timeline.duration) return;
    const model = this.book.modelOf(timeline.settings.renderer);
    const explanation = explain(timeline, frame, this.held, this.evictionContext(), model, this.layers.pinned);
    this.emit({ kind: "explanation", explanation });
  }

  /** @param now when the last step took place: what fell due since then has not been seen by it */
  private setTimer(now: Milliseconds): void {
    clearTimeout(this.timer);
    const { timeline } = this;
    if (!timeline) return;
    const wakeMs = this.nextWakeMs(timeline, now);
    if (wakeMs === undefined) return;
    this.timer = setTimeout(
      () => {
        const { other, lanes } = this.stage;
        if (timeline.hasUnkeyed) {
          timeline.computeKeys(SLICE_MS);
          this.tellChange();
        } else if (other?.hasUnkeyed) other.computeKeys(SLICE_MS);
        else if (lanes?.hasUnkeyed && !this.transport) lanes.computeKeys(SLICE_MS);
        else if (this.advice.isDue) this.advice.step(SLICE_MS);
        else if (this.savings.isDue(this.transport !== undefined)) this.savings.step(SLICE_MS);
        else if (timeline.hasUnestimated && !this.transport) this.estimateOn(timeline);
        else if (this.isOutlookDue(performance.now())) this.outlook.step(SLICE_MS);
        this.pump();
      },
      Math.max(0, wakeMs - performance.now() + 0.5),
    );
  }

  private estimateOn(timeline: PreviewTimeline): void {
    timeline.estimate(SLICE_MS);
    this.outlook.note();
  }

  /** When something may be due after a time; undefined when only a message can change anything. */
  private nextWakeMs(timeline: PreviewTimeline, now: Milliseconds): Milliseconds | undefined {
    const { other, lanes } = this.stage;
    if (timeline.hasUnkeyed || other?.hasUnkeyed) return now;
    if (!this.transport && (timeline.hasUnestimated || lanes?.hasUnkeyed)) return now;
    if (this.advice.isDue || this.savings.isDue(this.transport !== undefined)) return now;
    if (this.isOutlookDue(now)) return now;
    if (this.transport) return this.nextShowMs(this.transport, timeline, now);
    const moments = [this.lastScrubMs + SCRUB_REST_MS, this.shownAtMs + SHARPEN_AFTER_MS];
    if (this.takeStartsMs !== undefined) moments.push(this.takeStartsMs);
    const outlookMs = this.outlook.dueMs(now);
    if (outlookMs !== undefined) moments.push(outlookMs);
    if (this.mayFill()) moments.push(this.lastActionMs + this.settings!.idleDelayMs);
    const ahead = moments.filter((moment) => moment > now);
    return ahead.length === 0 ? undefined : Math.min(...ahead);
  }

  /** When playback needs the engine again; what arrives before wakes it too. */
  private nextShowMs(transport: Transport, timeline: PreviewTimeline, now: Milliseconds): Milliseconds {
    const { clock, shownStep } = transport;
    const byClock = stepAt(clock, now, this.budgetMs);
    if (byClock <= shownStep) return transport.dueMs(shownStep + 1);
    const due = clock.pacing === "keep time" ? byClock : shownStep + 1;
    const frame = frameOfStep(clock, due, this.range);
    // It fell due while the last actions were carried out.
    if (frame === undefined || timeline.isInMemory(frame)) return now;
    return transport.dueMs(byClock + 1);
  }

  private timelineData(): TimelineData | undefined {
    const { timeline, lanes } = this.stage;
    const data = timeline?.takeChanges(lanes?.takeChanged() ?? false);
    const { followed } = this;
    const residency = followed === undefined ? undefined : lanes?.residency(followed);
    return data && residency ? { ...data, layer: { id: followed!, residency: residency.slice() } } : data;
  }

  private status(): Status | undefined {
    const { transport } = this;
    const { timeline, lanes, comparison, unreadable } = this.stage;
    if (!timeline) return undefined;
    const whole = { in: 0, out: timeline.duration };
    const room = this.memoryRoom(timeline, this.memoryFits(timeline));
    const diskTakes = isLasting(timeline.settings) && this.disk.wants(Infinity, true);
    const { residency } = timeline;
    const rest = (range: FrameRange, forDisk = diskTakes) =>
      restOf({ residency, costs: timeline.costs.costs }, range, room, forDisk);
    const timeOf = (left: FillRest) => this.pace.remainingMs(left, this.pool.size, this.disk.fetchMs);
    const wholeRest = rest(whole);
    return {
      mode: this.modeAt(performance.now()),
      playhead: this.playhead,
      range: this.range,
      speed: transport?.clock.speed ?? 0,
      memory: {
        budgetBytes: this.held.budgetBytes,
        usedBytes: this.held.usedBytes,
        frames: this.held.size,
        branches: this.held.branchCount,
        branchBytes: this.held.branchBytes,
        workingBytes: this.pool.memoryBytes + this.held.handBytes,
        handBytes: this.held.handBytes,
      },
      filling: {
        paused: this.fillingPaused,
        done: timeline.duration - wholeRest.renders - wholeRest.fetches,
        total: timeline.duration,
        remainingMs: timeOf(wholeRest),
        intoMemoryMs: timeOf(rest(this.range, false)),
      },
      orders: this.orders.status(timeline, lanes!, (range) => timeOf(rest(range))),
      comparison,
      bakes: this.bakery.status,
      unreadable,
      disk: this.disk.state,
      notWorthStoring: this.disk.notWorth,
      readRate: this.disk.readRate,
      rendered: this.rendered,
      responses: this.responses.times,
      measuringTake: this.take !== undefined || this.takeStartsMs !== undefined,
      carrying: this.diskWork.carrying,
      trial: this.trial?.status ?? this.diskWork.trial ?? this.advice.status,
      graphicsFault: this.devices.faultReason,
      playback: transport && { skipped: transport.skipped, reachedRate: transport.reachedRate },
      layersKept: lanes?.kept(this.range) ?? [],
      layerCosts: timeline.costs.layerSummary(this.playhead, this.range),
      sharp: this.sharpFrame === this.playhead,
    };
  }
}
