import {
  clampFrame,
  frameBudgetMs,
  frameBytes,
  frameOfStep,
  framesThatFit,
  IN_MEMORY,
  ON_DISK,
  schedule,
  stepAt,
  type Action,
  type ContentKey,
  type Document,
  type EvictionContext,
  type FrameNumber,
  type FrameRange,
  type Job,
  type Milliseconds,
  type Mode,
  type Origin,
  type PlayClock,
  type Purpose,
  type RenderDevice,
  type RenderSettings,
  type Snapshot,
} from "@kinetocache/core";
import { Arrival } from "./arrival";
import { Calibration } from "./calibration";
import { BrowserDesk, type BrowserPort } from "./browserDesk";
import { Devices, type GraphicsFault } from "./devices";
import { DiskTier } from "./diskTier";
import { DiskWork } from "./diskWork";
import { FrameCosts } from "./frameCosts";
import type { FrameStorage, HeldPicture } from "./frameStorage";
import { HeldFrames } from "./heldFrames";
import { releasePixels, SparePixels } from "./pixels";
import { GraphicsTrial } from "./graphicsTrial";
import { ParallelTrial } from "./parallelTrial";
import { PreviewTimeline } from "./previewTimeline";
import type { Command, EngineEvent, PreviewSettings, Status } from "./protocol";
import type { RenderOutcome, Rendered, RenderPool } from "./renderPool";
import { Reports } from "./reports";
import { TakeRecorder } from "./takeRecorder";
import { Transport } from "./transport";
import { inOrder, spread, type Course, type Trial } from "./trial";
import { TrialRun } from "./trialRun";
import type { Viewer } from "./viewer";

interface EngineJob extends Job {
  readonly key: ContentKey;
  readonly keep: "memory" | "disk";
  /** The timeline it was started for; another may be in force when it ends. */
  readonly timeline: PreviewTimeline;
  /** Asked to stop; its result is still used when it arrives and fits. */
  stopping: boolean;
}

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
    "size" | "freeSlots" | "memoryBytes" | "resize" | "setDocument" | "setGraphics" | "setDecoding" | "render" | "stop"
  >;
  readonly disks: { readonly server: FrameStorage; readonly browser: BrowserPort };
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
// Frames that memory does not take are written to disk from the hand; more than this wait for the disk.
const MOST_IN_HAND = 4;

/** Whether the user did something, so that background work gives way. */
function isAction({ kind }: Command): boolean {
  return !["viewer", "pauseFilling", "diskChanged", "browserDisk", "carry", "stopCarrying"].includes(kind);
}

/**
 * The preview engine: owns the clock, memory, the viewer and the jobs, and does what the scheduler says.
 * Everything enters by `handle` and `onOutcome`; everything leaves by `emit`.
 */
export class Engine {
  private settings: PreviewSettings | undefined;
  private document: Document | undefined;
  private timeline: PreviewTimeline | undefined;
  private readonly spares = new SparePixels(FETCH_SLOTS);
  private readonly held = new HeldFrames((key, held) => this.timeline?.mark(key, IN_MEMORY, held), this.spares);
  private readonly costs = new FrameCosts();
  private readonly disk: DiskTier;
  private readonly diskWork: DiskWork;
  private readonly jobs = new Map<number, EngineJob>();
  private readonly calibration = new Calibration();
  /** Where frames came from that were obtained during this run of playback and not shown yet. */
  private readonly origins = new Map<ContentKey, Origin>();
  private readonly reports: Reports;

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
  private shownKey: ContentKey | undefined;
  private shownFrame: FrameNumber | undefined;
  private shownAtMs = 0;
  private sharpFrame: FrameNumber | undefined;
  /** Whether frames at full size are more than the chosen graphics device takes. */
  private sharpOnProcessor = false;
  private rendered = 0;
  private readonly arrival = new Arrival();
  private nextJob = 0;

  private pumping = false;
  private pumpAgain = false;
  private timer: ReturnType<typeof setTimeout> | undefined;

  private readonly pool: Surroundings["pool"];
  private readonly viewer: Surroundings["viewer"];
  private readonly emit: Surroundings["emit"];

  constructor({ pool, disks, viewer, emit }: Surroundings) {
    this.pool = pool;
    this.viewer = viewer;
    this.emit = emit;
    this.devices = new Devices(pool, (text) => emit({ kind: "notice", text }));
    this.reports = new Reports(emit, {
      status: () => this.status(),
      timeline: () => this.timeline?.takeChanges(),
      isBusy: () =>
        this.transport !== undefined ||
        this.trial !== undefined ||
        this.diskWork.trial !== undefined ||
        this.diskWork.carrying !== undefined ||
        this.jobs.size > 0 ||
        this.disk.queued > 0,
    });
    this.disk = new DiskTier(disks, {
      onKeys: (keys, held) => keys.forEach((key) => this.timeline?.mark(key, ON_DISK, held)),
      onCosts: (costs) => {
        for (const [key, ms] of costs) this.costs.learn(key, ms);
        this.timeline?.estimateAgain();
      },
      onChange: () => this.pump(),
      notice: (text) => emit({ kind: "notice", text }),
    });
    this.diskWork = new DiskWork({
      tier: this.disk,
      disks,
      desk: new BrowserDesk(disks.browser, emit, () => this.disk.refresh()),
      emit,
      onChange: () => this.pump(),
    });
    void this.disk.refresh();
  }

  handle(command: Command): void {
    const now = performance.now();
    if (isAction(command)) this.stopTrial();
    switch (command.kind) {
      case "configure":
        this.configure(command.settings);
        break;
      case "open":
        this.open(command.document, command.cause);
        break;
      case "removed":
        this.disk.drop(command.document);
        break;
      case "viewer":
        this.viewer.attach(command.canvas);
        this.shownKey = undefined;
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
        break;
      case "step":
        this.seek(this.playhead + command.frames);
        break;
      case "range":
        this.range = command.range;
        break;
      case "setEnd":
        this.setEnd(command.end);
        break;
      case "seekEnd":
        this.seek(command.end === "in" ? this.range.in : this.range.out - 1);
        break;
      case "measureTake":
        this.pause();
        this.takeStartsMs = now + TAKE_LEAD_MS;
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

  private configure(settings: PreviewSettings): void {
    const before = this.settings;
    this.settings = settings;
    this.pool.resize(settings.parallel);
    this.devices.choose(settings);
    this.disk.configure(settings.diskCache);
    this.held.setBudget(settings.memoryBudgetBytes, this.evictionContext());
    const isOtherDevice = before?.effectsOn !== settings.effectsOn;
    if (!before || isOtherDevice || before.fraction !== settings.fraction || before.effects !== settings.effects) {
      this.devices.sizeChanged();
      this.restart();
    }
    // A new loop or pacing is taken up from the frame on show.
    if (this.transport && before && (before.loop !== settings.loop || before.pacing !== settings.pacing))
      this.play(this.transport.clock.speed);
  }

  private open(document: Document, cause: "open" | "edit" | "undo" | "redo"): void {
    const before = this.timeline;
    this.document = document;
    this.pool.setDocument(document);
    this.restart();
    if (cause === "open" || !this.timeline || before?.document.id !== document.id) return;
    this.timeline.computeKeys(Infinity);
    this.emit({ kind: "cacheChange", change: { cause, ...this.timeline.compareWith(before) } });
  }

  /** A new timeline: the document or what decides its pixels has changed. */
  private restart(): void {
    if (!this.document || !this.settings) return;
    const isNew = this.timeline?.document.id !== this.document.id;
    const { fraction, effects } = this.settings;
    const renderer = this.devices.use(this.devices.device);
    const settings: RenderSettings = { fraction, effects, renderer };
    this.timeline = new PreviewTimeline(this.document, settings, this.costs, {
      inMemory: (key) => this.held.has(key),
      onDisk: (key) => this.disk.has(key),
    });
    this.sharpFrame = undefined;
    this.sharpOnProcessor = false;
    this.shownFrame = undefined;
    if (isNew) {
      this.transport = undefined;
      this.take = undefined;
      this.takeStartsMs = undefined;
      this.playhead = 0;
      this.range = { in: 0, out: this.timeline.duration };
    }
    if (isNew || this.costs.isNew(renderer)) this.calibration.start(this.timeline.duration);
    this.timeline.computeKeys(SLICE_MS);
    for (const job of this.jobs.values()) if (!this.timeline.has(job.key)) this.stop(job);
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
    this.takeStartsMs = undefined;
  }

  private pause(): void {
    this.transport = undefined;
    this.held.letGoAll(this.shownKey);
    if (this.take || this.takeStartsMs !== undefined)
      this.emit({ kind: "notice", text: "The take was stopped before its end and is not kept." });
    this.take = undefined;
    this.takeStartsMs = undefined;
  }

  private seek(frame: FrameNumber): void {
    this.pause();
    this.playhead = clampFrame(frame, { in: 0, out: this.timeline?.duration ?? 1 });
    this.sharpFrame = undefined;
    this.reports.playhead(this.playhead, false);
  }

  /** The other end gives way where it has to: a range holds at least one frame. */
  private setEnd(end: "in" | "out"): void {
    const { playhead, range } = this;
    this.range =
      end === "in"
        ? { in: playhead, out: Math.max(range.out, playhead + 1) }
        : { in: Math.min(range.in, playhead), out: playhead + 1 };
  }

  private startTake(): void {
    if (!this.timeline) return;
    this.timeline.computeKeys(Infinity);
    this.begin({ startFrame: this.range.in, speed: 1, loop: false });
    this.take = new TakeRecorder({
      document: this.document!,
      settings: this.settings!,
      graphicsFault: this.devices.faultReason,
      range: this.range,
      residency: this.timeline.residency,
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
    const hasClips = Object.values(this.document?.assets ?? {}).some(({ kind }) => kind === "clip");
    return hasClips ? inOrder(this.range) : spread(this.range);
  }

  private startTrial(trial: Trial): void {
    if (!this.timeline) return;
    this.pause();
    for (const job of this.jobs.values()) this.stop(job);
    this.trial = new TrialRun(trial, {
      pool: this.pool,
      emit: this.emit,
      nextJob: () => this.nextJob++,
      rendererFor: (device) => this.devices.use(device),
    });
  }

  /** Everything else rests meanwhile. */
  private measureFormats(location: string): void {
    const { timeline } = this;
    if (!timeline) return;
    this.pause();
    for (const job of this.jobs.values()) this.stop(job);
    const held = [...this.held.keys()].filter((key) => timeline.has(key));
    void this.diskWork.measureFormats(
      location,
      held.flatMap((key) => this.held.peek(key) ?? []),
    );
  }

  private stopTrial(): void {
    this.diskWork.stopMeasuring();
    this.trial?.stop();
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
    this.timeline!.estimateAgain();
    if (take) this.emit({ kind: "take", take: take.finish() });
  }

  private modeAt(now: Milliseconds): Mode {
    if (this.transport) return "playing";
    if (now - this.lastScrubMs < SCRUB_REST_MS) return "scrubbing";
    return this.mayFill() && now - this.lastActionMs >= this.settings!.idleDelayMs ? "filling" : "parked";
  }

  private mayFill(): boolean {
    if (this.transport || this.takeStartsMs !== undefined) return false;
    return this.settings?.background === "Idle" && !this.fillingPaused && this.calibration.isDone;
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
      if (this.jobs.size === 0 && this.calibration.job === undefined) this.trial.step(timeline.settings, now);
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
    for (const action of schedule(this.snapshot(timeline, mode, now))) this.perform(action);
    if (mode !== "playing") this.calibrate(timeline);
    this.disk.setQuiet(mode === "playing" || mode === "scrubbing");
  }

  private snapshot(timeline: PreviewTimeline, mode: Mode, now: Milliseconds): Snapshot {
    const { transport } = this;
    const { window } = this.settings!;
    const memoryFits = this.memoryFits(timeline);
    const inHand = this.held.handKeys;
    return {
      nowMs: now,
      mode,
      playhead: this.playhead,
      duration: timeline.duration,
      range: this.range,
      budgetMs: this.budgetMs,
      residency: timeline.residency,
      jobs: [...this.jobs.values()],
      renderSlots: this.calibration.job === undefined ? this.pool.size : this.pool.size - 1,
      fetchSlots: FETCH_SLOTS,
      renderMs: (frame) => this.arrival.expectedMs(this.costs.costs[frame]!),
      fetchMs: this.disk.fetchMs,
      window,
      clock: transport?.clock,
      shownStep: transport?.shownStep ?? -1,
      shownFrame: this.shownFrame,
      memoryFits,
      memoryRoom: mode === "filling" ? this.memoryRoom(timeline, memoryFits) : 0,
      diskTakes: (frame) => inHand.length < MOST_IN_HAND && this.disk.wants(this.costs.costs[frame]!, true),
      sharpen: this.sharpenState(mode, now),
      inHand: new Set(inHand.flatMap((key) => timeline.framesOf(key))),
      failed: timeline.failed,
    };
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
    if (!this.settings!.sharpenWhenParked || this.settings!.fraction === 1) return "off";
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
        this.startRender(action.frame, action.purpose, action.keep);
        break;
      case "fetch":
        this.startFetch(action.frame, action.purpose);
        break;
      case "cancel": {
        const job = this.jobs.get(action.job);
        if (job) this.stop(job);
        break;
      }
      case "end":
        this.endPlayback();
        this.pumpAgain = true;
        break;
    }
  }

  private show(frame: FrameNumber, step: number): void {
    const key = this.timeline!.keyOf(frame);
    const picture = this.held.use(key);
    if (!picture) {
      // Noted as held but gone: the note is corrected and the frame is obtained again.
      this.timeline!.mark(key, IN_MEMORY, false);
      this.pumpAgain = true;
      return;
    }
    if (key !== this.shownKey || this.sharpFrame !== undefined) this.viewer.show(picture);
    const now = performance.now();
    const origin = this.origins.get(key) ?? "memory";
    this.origins.delete(key);
    if (this.shownKey !== undefined && this.shownKey !== key) this.held.letGo(this.shownKey);
    this.shownKey = key;
    this.shownFrame = frame;
    this.shownAtMs = now;
    this.sharpFrame = undefined;
    if (this.transport) {
      this.playhead = frame;
      const stallMs = this.transport.show(step, now);
      this.take?.shown(step, frame, now, origin, this.budgetMs);
      if (stallMs > 0) this.take?.stalled(stallMs);
    }
    this.reports.playhead(frame, this.transport !== undefined);
    this.pumpAgain = true;
  }

  private skip(frame: FrameNumber, step: number): void {
    this.playhead = frame;
    this.transport!.skip(step);
    this.take?.skipped(step, frame, this.budgetMs);
    this.reports.playhead(frame, true);
  }

  private startRender(frame: FrameNumber, purpose: Purpose, keep: "memory" | "disk"): void {
    const timeline = this.timeline!;
    if (this.pool.freeSlots === 0) return;
    if (purpose === "sharpen") {
      const job = this.addJob(frame, { kind: "render", purpose, keep, key: timeline.sharpKey(frame) });
      const renderer = this.sharpOnProcessor ? "cpu-1" : timeline.settings.renderer;
      this.pool.render(job.id, frame, { ...timeline.settings, fraction: 1, renderer });
      return;
    }
    const key = timeline.keyOf(frame);
    // The key may only now be known, and be held already; or a twin of this frame is on its way.
    if (timeline.isInMemory(frame)) {
      this.pumpAgain = true;
      return;
    }
    if (this.isUnderWay(key)) return;
    const job = this.addJob(frame, { kind: "render", purpose, keep, key });
    this.pool.render(job.id, frame, timeline.settings);
  }

  private startFetch(frame: FrameNumber, purpose: Purpose): void {
    const key = this.timeline!.keyOf(frame);
    if (this.isUnderWay(key)) return;
    const job = this.addJob(frame, { kind: "fetch", purpose, keep: "memory", key });
    void this.disk.fetch(key, this.spares.take()).then((picture) => {
      this.jobs.delete(job.id);
      if (picture) {
        this.take?.read(picture.bytes);
        const costMs = this.costs.measuredMs(key) ?? this.costs.costs[frame] ?? 0;
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

  private addJob(frame: FrameNumber, how: Pick<EngineJob, "kind" | "purpose" | "keep" | "key">): EngineJob {
    const id = this.nextJob++;
    const job = { ...how, id, frame, timeline: this.timeline!, startedMs: performance.now(), stopping: false };
    this.jobs.set(id, job);
    return job;
  }

  private isUnderWay(key: ContentKey): boolean {
    for (const job of this.jobs.values()) if (job.key === key) return true;
    return false;
  }

  private stop(job: EngineJob): void {
    if (job.stopping || job.kind === "fetch") return;
    job.stopping = true;
    this.pool.stop(job.id);
  }

  private calibrate(timeline: PreviewTimeline): void {
    if (this.pool.freeSlots === 0 || !this.shownKey) return;
    const next = this.calibration.next(this.nextJob);
    if (next) this.pool.render(this.nextJob++, next.frame, { ...timeline.settings, fraction: next.fraction });
  }

  /** What a render worker sends back. */
  onOutcome(outcome: RenderOutcome): void {
    if (this.trial?.owns(outcome.job)) {
      if (this.trial.end(outcome)) this.dropTrial();
      this.pump();
      return;
    }
    if (this.calibration.end(outcome.job)) {
      if (outcome.kind === "rendered" && outcome.warm) {
        const model = this.costs.modelOf(outcome.renderer);
        outcome.costs.forEach((cost) => model.add(cost));
      } else if (outcome.kind === "noGraphics" && this.isOnGraphics) this.fallBack(outcome);
      if (this.calibration.isDone) this.timeline?.estimateAgain();
      this.pump();
      return;
    }
    const job = this.jobs.get(outcome.job);
    this.jobs.delete(outcome.job);
    if (job && outcome.kind === "rendered") this.accept(job, outcome);
    else if (outcome.kind === "rendered") releasePixels(outcome.pixels);
    else if (job && outcome.kind === "noGraphics") this.endWithoutGraphics(job, outcome);
    else if (job && outcome.kind === "failed") {
      job.timeline.failed.add(job.frame);
      this.emit({ kind: "notice", text: `Frame ${job.frame} could not be rendered: ${outcome.reason}` });
    }
    this.pump();
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
    if (job.purpose === "sharpen") {
      const isOnShow = !this.transport && frame === this.playhead && this.shownFrame === frame;
      if (isOnShow && !job.stopping && timeline === this.timeline) {
        this.viewer.show(picture);
        this.sharpFrame = frame;
      }
      releasePixels(pixels);
      return;
    }
    this.rendered++;
    this.devices.noteDecoding(rendered);
    this.arrival.note(performance.now() - job.startedMs, timeline === this.timeline ? this.costs.costs[frame]! : 0);
    if (warm && !jumped) this.timeline!.measure(key, rendered, timeline.stillKeys(frame));
    this.take?.rendered(costs);
    const inBackground = job.purpose === "fill";
    this.admit(key, picture, ms, { origin: "rendered", keep: job.keep, owner: document.id, inBackground });
  }

  /** Takes a finished frame into memory, or for the moment in hand, and passes new ones on to the disk. */
  private admit(key: ContentKey, picture: HeldPicture, costMs: Milliseconds, how: Admittance): void {
    const { origin, keep, owner, inBackground } = how;
    if (this.held.isCached(key)) {
      releasePixels(picture.pixels);
      return;
    }
    this.held.letGo(key);
    const admitted = keep === "memory" && this.held.put(key, picture, costMs, this.evictionContext());
    if (this.transport) this.origins.set(key, origin);
    const isNew = origin === "rendered";
    const wantsDisk = isNew && !this.disk.has(key) && this.disk.wants(costMs, inBackground);
    if (!admitted) {
      if (keep === "memory" || wantsDisk) this.held.keepInHand(key, picture, keep === "memory");
      else releasePixels(picture.pixels);
    }
    if (!isNew) return;
    this.disk.offer({
      key,
      owner,
      costMs,
      inBackground,
      picture: () => this.held.peek(key),
      settled: () => {
        if (key !== this.shownKey && !this.transport) this.held.letGo(key);
      },
    });
  }

  private evictionContext(): EvictionContext {
    const { timeline, playhead, range, transport } = this;
    if (!timeline) return { mode: "leastRecentlyUsed" };
    if (transport) {
      const { direction } = transport;
      return { mode: "playback", nextUse: (key) => timeline.nextUse(key, playhead + direction, range, direction) };
    }
    return {
      mode: "free",
      distance: (key) => timeline.distance(key, playhead),
      inRange: (key) => timeline.isIn(key, range),
    };
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
        if (timeline.hasUnkeyed) timeline.computeKeys(SLICE_MS);
        else if (timeline.hasUnestimated && !this.transport) timeline.estimate(SLICE_MS);
        this.pump();
      },
      Math.max(0, wakeMs - performance.now() + 0.5),
    );
  }

  /** When something may be due after a time; undefined when only a message can change anything. */
  private nextWakeMs(timeline: PreviewTimeline, now: Milliseconds): Milliseconds | undefined {
    if (timeline.hasUnkeyed || (timeline.hasUnestimated && !this.transport)) return now;
    if (this.transport) return this.nextShowMs(this.transport, timeline, now);
    const moments = [this.lastScrubMs + SCRUB_REST_MS, this.shownAtMs + SHARPEN_AFTER_MS];
    if (this.takeStartsMs !== undefined) moments.push(this.takeStartsMs);
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

  private status(): Status | undefined {
    const { timeline, transport } = this;
    if (!timeline) return undefined;
    const { held, remainingMs } = timeline.heldAndRemaining();
    return {
      mode: this.modeAt(performance.now()),
      playhead: this.playhead,
      range: this.range,
      speed: transport?.clock.speed ?? 0,
      memory: {
        budgetBytes: this.held.budgetBytes,
        usedBytes: this.held.usedBytes,
        frames: this.held.size,
        workingBytes: this.pool.memoryBytes,
      },
      filling: {
        paused: this.fillingPaused,
        held,
        total: timeline.duration,
        remainingMs: remainingMs > 0 ? remainingMs / this.pool.size : undefined,
      },
      disk: this.disk.state,
      notWorthStoring: this.disk.notWorth,
      readRate: this.disk.readRate,
      rendered: this.rendered,
      measuringTake: this.take !== undefined || this.takeStartsMs !== undefined,
      carrying: this.diskWork.carrying,
      trial: this.trial?.status ?? this.diskWork.trial,
      graphicsFault: this.devices.faultReason,
      playback: transport && { skipped: transport.skipped, reachedRate: transport.reachedRate },
      layerCosts: this.costs.layerSummary(this.playhead, this.range),
      sharp: this.sharpFrame === this.playhead,
    };
  }
}
