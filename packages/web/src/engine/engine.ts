import {
  buildGraph,
  clampFrame,
  CostModel,
  frameBudgetMs,
  frameBytes,
  frameOfStep,
  FULL_QUALITY,
  framesThatFit,
  IN_MEMORY,
  mainComposition,
  MemoryCache,
  ON_DISK,
  schedule,
  stillKeys,
  Timeline,
  type Action,
  type Composition,
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
  type RenderSettings,
  type Snapshot,
} from "@kinetocache/core";
import type { DiskClient, HeldPicture } from "./diskClient";
import { DiskStore } from "./diskStore";
import { FrameCosts } from "./frameCosts";
import type { Command, EngineEvent, PreviewSettings, Status } from "./protocol";
import type { RenderOutcome, Rendered, RenderPool } from "./renderPool";
import { TakeRecorder } from "./takeRecorder";
import type { Viewer } from "./viewer";

interface EngineJob extends Job {
  readonly key: ContentKey;
  readonly keep: "memory" | "disk";
  /** The document it was started for; another may be open when it ends. */
  readonly document: Document;
  readonly settings: RenderSettings;
  /** Asked to stop; its result is still used when it arrives and fits. */
  stopping: boolean;
}

interface Admittance {
  readonly origin: Origin;
  readonly keep: "memory" | "disk";
  /** Document that the frame belongs to on disk. */
  readonly owner: string;
}

interface Transport {
  readonly clock: PlayClock;
  shownStep: number;
  shown: number;
  skipped: number;
  firstShownMs: Milliseconds | undefined;
  lastShownMs: Milliseconds;
}

const STATUS_INTERVAL_MS = 100;
// The screen shares the processor with the render workers. While they are at work it is told less often, or
// drawing it would take a good part of what they need.
const STATUS_INTERVAL_BUSY_MS = 250;
const PLAYHEAD_INTERVAL_PLAYING_MS = 80;
// A drag counts as scrubbing until the pointer has rested this long.
const SCRUB_REST_MS = 250;
// Sharpening waits until the user has looked at the preview for a moment.
const SHARPEN_AFTER_MS = 400;
const FETCH_SLOTS = 2;
const MOST_SLOWDOWN = 20;
// Keys are computed in slices, so that a long composition does not hold up the clock.
const SLICE_MS = 6;
// Frames that memory does not take are written to disk from the hand; more than this wait for the disk.
const MOST_IN_HAND = 4;
// Small frames at the start that give the cost model its first samples.
// The first rounds only warm the workers up.
const CALIBRATION_FRACTIONS = [1 / 4, 1 / 4, 1 / 4, 1 / 8, 1 / 4, 1 / 3];
const CALIBRATION_POINTS = [0, 0.2, 0.45, 0.7, 0.9];

/**
 * The preview engine: owns the clock, memory, the viewer and the jobs, and does what the scheduler says.
 * Everything enters by `handle`; everything leaves by `emit`.
 */
export class Engine {
  private settings: PreviewSettings | undefined;
  private document: Document | undefined;
  private composition: Composition | undefined;
  private timeline = new Timeline(0);
  /** First frame whose key has not been computed yet. */
  private nextUnkeyed = 0;
  /** First frame that has not been estimated since the cost model last learned much. */
  private nextUnestimated = Infinity;
  private readonly cache: MemoryCache<HeldPicture>;
  private readonly costs = new FrameCosts(new CostModel());
  private readonly disk: DiskStore;
  private readonly jobs = new Map<number, EngineJob>();
  private readonly inHand = new Map<ContentKey, HeldPicture>();
  private readonly origins = new Map<ContentKey, Origin>();
  private readonly failed = new Set<FrameNumber>();
  private calibration: { fraction: number; frame: FrameNumber }[] = [];
  private calibrationJob: number | undefined;

  private playhead: FrameNumber = 0;
  private range: FrameRange = { in: 0, out: 1 };
  private transport: Transport | undefined;
  private take: TakeRecorder | undefined;
  private lastActionMs = 0;
  private lastScrubMs = -Infinity;
  private fillingPaused = false;
  private shownKey: ContentKey | undefined;
  private shownFrame: FrameNumber | undefined;
  private shownAtMs = 0;
  private toldPlayheadMs = -Infinity;
  private sharpFrame: FrameNumber | undefined;
  private rendered = 0;
  /** How much longer frames take to arrive at present than their cost says; 1 or more. */
  private slowdown = 1;
  private nextJob = 0;

  private pumping = false;
  private pumpAgain = false;
  private timer: ReturnType<typeof setTimeout> | undefined;
  private statusTimer: ReturnType<typeof setTimeout> | undefined;
  private timelineDirty = false;

  constructor(
    private readonly pool: RenderPool,
    diskClient: DiskClient,
    private readonly viewer: Viewer,
    private readonly emit: (event: EngineEvent) => void,
  ) {
    // A buffer that leaves is emptied by hand: its memory goes back at once, not when the collector comes by.
    this.cache = new MemoryCache<HeldPicture>(0, ({ pixels }) => void pixels.buffer.transfer(0));
    this.disk = new DiskStore(diskClient, {
      onKeys: (keys, held) => keys.forEach((key) => this.mark(key, ON_DISK, held)),
      onCosts: (costs) => {
        for (const [key, ms] of costs) this.costs.learn(key, ms);
        this.nextUnestimated = 0;
      },
      onChange: () => this.pump(),
      notice: (text) => this.emit({ kind: "notice", text }),
    });
    void this.disk.refresh();
  }

  handle(command: Command): void {
    const now = performance.now();
    switch (command.kind) {
      case "configure":
        this.configure(command.settings);
        break;
      case "open":
        this.open(command.document, command.cause);
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
      case "measureTake":
        this.startTake();
        break;
      case "pauseFilling":
        this.fillingPaused = command.paused;
        break;
      case "diskChanged":
        void this.disk.refresh();
        break;
      case "clearMemory":
        for (const key of [...this.cache.keys()]) this.mark(key, IN_MEMORY, false);
        this.cache.clear();
        break;
      case "touch":
        break;
    }
    if (command.kind !== "viewer" && command.kind !== "pauseFilling" && command.kind !== "diskChanged")
      this.lastActionMs = now;
    this.pump();
  }

  private configure(settings: PreviewSettings): void {
    const before = this.settings;
    this.settings = settings;
    this.pool.resize(settings.parallel);
    const evicted = this.cache.setBudget(settings.memoryBudgetBytes, this.evictionContext());
    evicted.forEach((key) => this.mark(key, IN_MEMORY, false));
    if (!before || before.fraction !== settings.fraction || before.effects !== settings.effects) this.restart();
    // A new loop or pacing is taken up from the frame on show.
    if (this.transport && before && (before.loop !== settings.loop || before.pacing !== settings.pacing))
      this.play(this.transport.clock.speed);
  }

  private open(document: Document, cause: "open" | "edit" | "undo" | "redo"): void {
    const isNew = this.document?.id !== document.id;
    const before = this.timeline;
    this.document = document;
    this.composition = mainComposition(document);
    this.pool.setDocument(document);
    if (isNew) {
      this.transport = undefined;
      this.take = undefined;
      this.playhead = 0;
      this.range = { in: 0, out: this.composition.duration };
      this.calibrate();
    }
    this.restart();
    if (cause === "open" || isNew) return;
    this.computeKeys(Infinity);
    this.emit({ kind: "cacheChange", change: { cause, ...this.compareWith(before) } });
  }

  /** Frames that show something else than before: how many of them were held, and how many are now. */
  private compareWith(before: Timeline): { lost: number; regained: number; held: number } {
    let lost = 0;
    let regained = 0;
    let held = 0;
    for (let frame = 0; frame < this.timeline.duration; frame++) {
      const isHeld = this.timeline.residency[frame] !== 0;
      held += Number(isHeld);
      if (before.keyOf(frame) === this.timeline.keyOf(frame)) continue;
      if (isHeld) regained++;
      else if (before.residency[frame]) lost++;
    }
    return { lost, regained, held };
  }

  /** A new timeline: the document or what decides its pixels has changed. */
  private restart(): void {
    if (!this.composition) return;
    this.timeline = new Timeline(this.composition.duration);
    this.nextUnkeyed = 0;
    this.failed.clear();
    this.sharpFrame = undefined;
    this.shownFrame = undefined;
    this.costs.reset(
      this.composition.duration,
      this.composition.layers.map(({ id }) => id),
    );
    this.computeKeys(SLICE_MS);
    for (const job of this.jobs.values()) if (!this.timeline.has(job.key)) this.stop(job);
    this.timelineDirty = true;
  }

  private get renderSettings(): RenderSettings {
    return { fraction: this.settings!.fraction, effects: this.settings!.effects, renderer: FULL_QUALITY.renderer };
  }

  /** Computes keys and costs in order until the time is used up. */
  private computeKeys(limitMs: Milliseconds): void {
    if (!this.settings || !this.document) return;
    const until = performance.now() + limitMs;
    while (this.nextUnkeyed < this.timeline.duration && performance.now() < until) this.keyOf(this.nextUnkeyed++);
    this.timelineDirty = true;
  }

  private keyOf(frame: FrameNumber): ContentKey {
    const known = this.timeline.keyOf(frame);
    if (known) return known;
    const { key, root } = buildGraph(this.document!, frame, this.renderSettings);
    const held = (this.cache.has(key) || this.inHand.has(key) ? IN_MEMORY : 0) | (this.disk.has(key) ? ON_DISK : 0);
    this.timeline.setKey(frame, key, held);
    this.costs.place(frame, key, root, stillKeys(this.document!, frame, this.renderSettings));
    return key;
  }

  private mark(key: ContentKey, tier: number, held: boolean): void {
    this.timeline.mark(key, tier, held);
    this.timelineDirty = true;
  }

  private calibrate(): void {
    const { duration } = this.composition!;
    this.calibration = CALIBRATION_FRACTIONS.flatMap((fraction) =>
      CALIBRATION_POINTS.map((point) => ({ fraction, frame: Math.floor(point * duration) })),
    );
  }

  private play(speed: number): void {
    if (!this.composition || !this.settings) return;
    const inRange = this.playhead >= this.range.in && this.playhead < this.range.out;
    const startFrame = inRange ? this.playhead : speed > 0 ? this.range.in : this.range.out - 1;
    this.begin({ startFrame, speed, loop: this.settings.loop });
  }

  private begin({ startFrame, speed, loop }: { startFrame: FrameNumber; speed: number; loop: boolean }): void {
    this.transport = {
      clock: { startMs: performance.now(), startFrame, speed, pacing: this.settings!.pacing, loop },
      shownStep: -1,
      shown: 0,
      skipped: 0,
      firstShownMs: undefined,
      lastShownMs: 0,
    };
    this.origins.clear();
    this.sharpFrame = undefined;
  }

  private pause(): void {
    this.transport = undefined;
    for (const key of [...this.inHand.keys()]) if (key !== this.shownKey) this.letGo(key);
    if (this.take) this.emit({ kind: "notice", text: "The take was stopped before its end and is not kept." });
    this.take = undefined;
  }

  private seek(frame: FrameNumber): void {
    this.pause();
    this.playhead = clampFrame(frame, { in: 0, out: this.timeline.duration });
    this.sharpFrame = undefined;
    this.tellPlayhead();
  }

  private startTake(): void {
    if (!this.composition || !this.settings) return;
    this.computeKeys(Infinity);
    this.begin({ startFrame: this.range.in, speed: 1, loop: false });
    this.take = new TakeRecorder({
      document: this.document!,
      settings: this.settings,
      range: this.range,
      residency: this.timeline.residency,
      startMs: this.transport!.clock.startMs,
    });
  }

  private endPlayback(): void {
    const { take } = this;
    this.take = undefined;
    this.transport = undefined;
    this.nextUnestimated = 0;
    if (take) this.emit({ kind: "take", take: take.finish() });
  }

  private get mode(): Mode {
    const now = performance.now();
    if (this.transport) return "playing";
    if (now - this.lastScrubMs < SCRUB_REST_MS) return "scrubbing";
    return this.mayFill() && now - this.lastActionMs >= this.settings!.idleDelayMs ? "filling" : "parked";
  }

  private mayFill(): boolean {
    return (
      this.settings?.background === "Idle" && !this.fillingPaused && !this.transport && this.calibration.length === 0
    );
  }

  /** Carries out what the scheduler says until it has nothing more to say. */
  private pump(): void {
    if (this.pumping) {
      this.pumpAgain = true;
      return;
    }
    this.pumping = true;
    try {
      do {
        this.pumpAgain = false;
        if (this.settings && this.document) this.step();
      } while (this.pumpAgain);
    } catch (error) {
      // One step failed; the next message or timer takes the next one.
      this.emit({
        kind: "notice",
        text: `The preview engine: ${error instanceof Error ? error.message : String(error)}`,
      });
    } finally {
      this.pumping = false;
    }
    this.setTimer();
    this.scheduleStatus();
  }

  private step(): void {
    const mode = this.mode;
    this.keyOf(this.playhead);
    for (const action of schedule(this.snapshot(mode))) this.perform(action);
    if (mode !== "playing") this.runCalibration();
    this.disk.setQuiet(mode === "playing" || mode === "scrubbing");
  }

  private snapshot(mode: Mode): Snapshot {
    const { transport, timeline } = this;
    return {
      nowMs: performance.now(),
      mode,
      playhead: this.playhead,
      duration: timeline.duration,
      range: this.range,
      budgetMs: this.budgetMs,
      residency: timeline.residency,
      jobs: [...this.jobs.values()],
      renderSlots: this.calibrationJob === undefined ? this.pool.size : this.pool.size - 1,
      fetchSlots: FETCH_SLOTS,
      renderMs: (frame) => this.costs.costs[frame]! * this.slowdown,
      fetchMs: this.disk.fetchMs,
      window: this.settings!.window,
      clock: transport?.clock,
      shownStep: transport?.shownStep ?? -1,
      shownFrame: this.shownFrame,
      memoryFits: this.memoryFits,
      memoryRoom: this.memoryRoom(),
      diskAccepts: this.disk.accepts && this.inHand.size < MOST_IN_HAND,
      sharpen: this.sharpenState(mode),
      failed: this.failed,
    };
  }

  private get budgetMs(): Milliseconds {
    return frameBudgetMs(this.composition!.rate);
  }

  private get memoryFits(): number {
    return framesThatFit(
      this.cache.budgetBytes,
      frameBytes(this.composition!, this.settings!.fraction, this.document!.depth),
    );
  }

  /** Frames of this timeline that fit beside those already held; what belongs elsewhere gives way. */
  private memoryRoom(): number {
    let own = 0;
    for (const key of this.cache.keys()) if (this.timeline.has(key)) own++;
    return Math.max(0, this.memoryFits - own);
  }

  private sharpenState(mode: Mode): Snapshot["sharpen"] {
    if (mode === "scrubbing" || mode === "playing") return "off";
    if (!this.settings!.sharpenWhenParked || this.settings!.fraction === 1) return "off";
    if (this.sharpFrame === this.playhead) return "done";
    return performance.now() - this.shownAtMs >= SHARPEN_AFTER_MS ? "wanted" : "off";
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
    const key = this.keyOf(frame);
    const picture = this.cache.use(key) ?? this.inHand.get(key);
    if (!picture) {
      // Noted as held but gone: the note is corrected and the frame is obtained again.
      this.mark(key, IN_MEMORY, false);
      this.pumpAgain = true;
      return;
    }
    if (key !== this.shownKey || this.sharpFrame !== undefined) this.viewer.show(picture);
    const now = performance.now();
    const origin = this.origins.get(key) ?? "memory";
    this.origins.delete(key);
    if (this.shownKey !== undefined && this.shownKey !== key) this.letGo(this.shownKey);
    this.shownKey = key;
    this.shownFrame = frame;
    this.shownAtMs = now;
    this.sharpFrame = undefined;
    if (this.transport) {
      this.playhead = frame;
      this.advance(step, now, true);
      this.take?.shown(step, frame, now, origin, this.budgetMs);
    }
    this.tellPlayhead();
    this.pumpAgain = true;
  }

  private skip(frame: FrameNumber, step: number): void {
    this.playhead = frame;
    this.advance(step, performance.now(), false);
    this.take?.skipped(step, frame, this.budgetMs);
    this.tellPlayhead();
  }

  private tellPlayhead(): void {
    const now = performance.now();
    if (this.transport && now - this.toldPlayheadMs < PLAYHEAD_INTERVAL_PLAYING_MS) return;
    this.toldPlayheadMs = now;
    this.emit({ kind: "playhead", frame: this.playhead });
  }

  private advance(step: number, now: Milliseconds, shown: boolean): void {
    const transport = this.transport!;
    transport.shownStep = step;
    if (!shown) {
      transport.skipped++;
      return;
    }
    transport.shown++;
    transport.firstShownMs ??= now;
    transport.lastShownMs = now;
    const lateBy = now - (transport.clock.startMs + step * this.budgetMs);
    // When every frame is shown, a stall moves all later frames with it.
    if (transport.clock.pacing === "show every frame" && lateBy > this.budgetMs) {
      this.transport = { ...transport, clock: { ...transport.clock, startMs: transport.clock.startMs + lateBy } };
      this.take?.stalled(lateBy);
    }
  }

  private addJob(
    frame: FrameNumber,
    how: Pick<EngineJob, "kind" | "purpose" | "keep" | "key">,
    settings = this.renderSettings,
  ): EngineJob {
    const job: EngineJob = {
      ...how,
      id: this.nextJob++,
      frame,
      document: this.document!,
      settings,
      startedMs: performance.now(),
      stopping: false,
    };
    this.jobs.set(job.id, job);
    return job;
  }

  private startRender(frame: FrameNumber, purpose: Purpose, keep: "memory" | "disk"): void {
    if (this.pool.freeSlots === 0) return;
    if (purpose === "sharpen") {
      const settings = { ...this.renderSettings, fraction: 1 };
      const { key } = buildGraph(this.document!, frame, settings);
      this.submit(this.addJob(frame, { kind: "render", purpose, keep, key }, settings));
      return;
    }
    const key = this.keyOf(frame);
    // The key may only now be known, and be held already; or a twin of this frame is on its way.
    if (this.timeline.residency[frame]! & IN_MEMORY) {
      this.pumpAgain = true;
      return;
    }
    if (!this.isUnderWay(key)) this.submit(this.addJob(frame, { kind: "render", purpose, keep, key }));
  }

  private submit({ id, frame, settings }: EngineJob): void {
    this.pool.render(id, frame, settings);
  }

  private isUnderWay(key: ContentKey): boolean {
    for (const job of this.jobs.values()) if (job.key === key) return true;
    return false;
  }

  private startFetch(frame: FrameNumber, purpose: Purpose): void {
    const key = this.keyOf(frame);
    if (this.isUnderWay(key)) return;
    const job = this.addJob(frame, { kind: "fetch", purpose, keep: "memory", key });
    void this.disk.fetch(key).then((picture) => {
      this.jobs.delete(job.id);
      if (picture) {
        this.take?.read(picture.bytes);
        const costMs = this.costs.measuredMs(key) ?? this.costs.costs[frame] ?? 0;
        this.admit(key, picture, costMs, { origin: "disk", keep: "memory", owner: job.document.id });
      }
      this.pump();
    });
  }

  private stop(job: EngineJob): void {
    if (job.stopping || job.kind === "fetch") return;
    job.stopping = true;
    this.pool.stop(job.id);
  }

  /** What a render worker sends back. */
  onOutcome(outcome: RenderOutcome): void {
    if (outcome.job === this.calibrationJob) {
      this.calibrationJob = undefined;
      if (outcome.kind === "rendered" && outcome.warm) outcome.costs.forEach((cost) => this.costs.model.add(cost));
      if (this.calibration.length === 0) this.nextUnestimated = 0;
      this.pump();
      return;
    }
    const job = this.jobs.get(outcome.job);
    this.jobs.delete(outcome.job);
    if (job && outcome.kind === "rendered") this.accept(job, outcome);
    else if (job && outcome.kind === "failed") {
      if (job.document === this.document) this.failed.add(job.frame);
      this.emit({ kind: "notice", text: `Frame ${job.frame} could not be rendered: ${outcome.reason}` });
    }
    this.pump();
  }

  private accept(job: EngineJob, { key, width, height, pixels, ms, costs, warm }: Rendered): void {
    const { document, frame, settings } = job;
    const picture: HeldPicture = { width, height, depth: document.depth, pixels: new Uint8Array(pixels) };
    if (job.purpose === "sharpen") {
      const isOnShow = !this.transport && frame === this.playhead && this.shownFrame === frame;
      if (!isOnShow || job.stopping || document !== this.document) return;
      this.viewer.show(picture);
      this.sharpFrame = frame;
      return;
    }
    this.rendered++;
    this.adaptSlowdown(job);
    if (warm) this.costs.record(key, this.timeline.framesOf(key), ms, costs, stillKeys(document, frame, settings));
    this.take?.rendered(costs);
    this.admit(key, picture, ms, { origin: "rendered", keep: job.keep, owner: document.id });
  }

  /** Workers that are cold, or a machine that is busy with other things, make every frame late by the same factor. */
  private adaptSlowdown({ document, frame, startedMs }: EngineJob): void {
    const expectedMs = document === this.document ? this.costs.costs[frame] : undefined;
    if (!expectedMs) return;
    const ratio = Math.min(MOST_SLOWDOWN, (performance.now() - startedMs) / expectedMs);
    this.slowdown = Math.max(1, 0.7 * this.slowdown + 0.3 * ratio);
  }

  /** Takes a finished frame into memory, or for the moment in hand, and passes new ones on to the disk. */
  private admit(key: ContentKey, picture: HeldPicture, costMs: Milliseconds, how: Admittance): void {
    const { origin, keep, owner } = how;
    this.timelineDirty = true;
    if (this.cache.has(key)) return;
    let admitted = false;
    if (keep === "memory") {
      const result = this.cache.put(key, picture, picture.pixels.byteLength, costMs, this.evictionContext());
      result.evicted.forEach((victim) => this.mark(victim, IN_MEMORY, false));
      admitted = result.admitted;
    }
    if (this.transport) this.origins.set(key, origin);
    const wantsDisk = origin === "rendered" && this.disk.accepts && !this.disk.has(key);
    if (!admitted && (keep === "memory" || wantsDisk)) this.inHand.set(key, picture);
    if (admitted || keep === "memory") this.mark(key, IN_MEMORY, true);
    if (wantsDisk) {
      this.disk.enqueue({
        key,
        owner,
        costMs,
        picture: () => this.cache.peek(key) ?? this.inHand.get(key),
        settled: () => {
          if (key !== this.shownKey && !this.transport) this.letGo(key);
        },
      });
    }
  }

  /** Frees a frame that memory did not take, once it was shown or written. */
  private letGo(key: ContentKey): void {
    if (!this.inHand.delete(key)) return;
    if (!this.cache.has(key)) this.mark(key, IN_MEMORY, false);
  }

  private evictionContext(): EvictionContext {
    const { timeline, playhead, range, transport } = this;
    if (transport) {
      const direction = transport.clock.speed < 0 ? -1 : 1;
      return { mode: "playback", nextUse: (key) => timeline.nextUse(key, playhead + direction, range, direction) };
    }
    return {
      mode: "free",
      distance: (key) => timeline.distance(key, playhead),
      inRange: (key) => timeline.isIn(key, range),
    };
  }

  private runCalibration(): void {
    if (this.calibrationJob !== undefined || this.pool.freeSlots === 0 || !this.shownKey) return;
    const next = this.calibration.shift();
    if (!next) return;
    this.calibrationJob = this.nextJob++;
    this.pool.render(this.calibrationJob, next.frame, { ...this.renderSettings, fraction: next.fraction });
  }

  /** Estimates frames that were never measured from the present model, in slices like the keys. */
  private estimateSlice(): void {
    const until = performance.now() + SLICE_MS;
    while (this.nextUnestimated < this.nextUnkeyed && performance.now() < until) {
      const frame = this.nextUnestimated++;
      if (this.costs.measured[frame]) continue;
      const { key, root } = buildGraph(this.document!, frame, this.renderSettings);
      this.costs.place(frame, key, root, stillKeys(this.document!, frame, this.renderSettings));
    }
    this.timelineDirty = true;
  }

  private setTimer(): void {
    clearTimeout(this.timer);
    const delay = this.nextWakeMs();
    if (delay !== undefined) {
      this.timer = setTimeout(
        () => {
          if (this.nextUnkeyed < this.timeline.duration) this.computeKeys(SLICE_MS);
          else if (this.nextUnestimated < this.timeline.duration && !this.transport) this.estimateSlice();
          this.pump();
        },
        Math.max(0, delay),
      );
    }
  }

  /** Milliseconds until something may be due; undefined when only a message can change anything. */
  private nextWakeMs(): Milliseconds | undefined {
    if (!this.settings || !this.document) return undefined;
    const now = performance.now();
    if (this.nextUnkeyed < this.timeline.duration) return 0;
    if (this.nextUnestimated < this.timeline.duration && !this.transport) return 0;
    const waits: Milliseconds[] = [];
    if (this.transport) {
      waits.push(this.nextShowMs(this.transport, now));
    } else {
      const rest = this.lastScrubMs + SCRUB_REST_MS - now;
      if (rest > 0) waits.push(rest);
      const idle = this.lastActionMs + this.settings.idleDelayMs - now;
      if (this.mayFill() && idle > 0) waits.push(idle);
      const sharpen = this.shownAtMs + SHARPEN_AFTER_MS - now;
      if (sharpen > 0) waits.push(sharpen);
    }
    return waits.length === 0 ? undefined : Math.min(...waits) + 0.5;
  }

  /** Milliseconds until playback needs the engine again. */
  private nextShowMs({ clock, shownStep }: Transport, now: Milliseconds): Milliseconds {
    const due = clock.startMs + (shownStep + 1) * this.budgetMs - now;
    if (due > 0) return due;
    // It fell due while the last actions were carried out.
    const frame = frameOfStep(clock, shownStep + 1, this.range);
    if (frame === undefined || this.timeline.residency[frame]! & IN_MEMORY) return 0;
    // It has not arrived: its arrival wakes the engine, or else its time runs out.
    return due + this.budgetMs > 0 ? due + this.budgetMs : this.budgetMs / 4;
  }

  private scheduleStatus(): void {
    this.statusTimer ??= setTimeout(
      () => {
        this.statusTimer = undefined;
        this.sendStatus();
      },
      this.transport || this.jobs.size > 0 ? STATUS_INTERVAL_BUSY_MS : STATUS_INTERVAL_MS,
    );
  }

  private sendStatus(): void {
    if (!this.settings || !this.document) return;
    if (this.timelineDirty) {
      this.timelineDirty = false;
      const { costs, measured } = this.costs;
      this.emit({
        kind: "timeline",
        data: { costs: costs.slice(), measured: measured.slice(), residency: this.timeline.residency.slice() },
      });
    }
    this.emit({ kind: "status", status: this.status() });
    if (this.transport || this.jobs.size > 0 || this.disk.queued > 0) this.scheduleStatus();
  }

  private status(): Status {
    const { transport } = this;
    const idleLeftMs = this.lastActionMs + this.settings!.idleDelayMs - performance.now();
    let held = 0;
    let remaining = 0;
    for (let frame = 0; frame < this.timeline.duration; frame++) {
      if (this.timeline.residency[frame]) held++;
      else remaining += this.costs.costs[frame]!;
    }
    return {
      mode: this.mode,
      documentId: this.document!.id,
      duration: this.timeline.duration,
      playhead: this.playhead,
      range: this.range,
      speed: transport?.clock.speed ?? 0,
      memory: {
        budgetBytes: this.cache.budgetBytes,
        usedBytes: this.cache.usedBytes,
        frames: this.cache.size,
        workingBytes: this.pool.memoryBytes,
      },
      filling: {
        paused: this.fillingPaused,
        held,
        total: this.timeline.duration,
        remainingMs: remaining > 0 ? remaining / this.pool.size : undefined,
        startsAtMs: this.mayFill() ? Date.now() + Math.max(0, idleLeftMs) : undefined,
      },
      disk: this.disk.state,
      diskQueue: this.disk.queued,
      readRate: this.disk.readRate,
      writeRate: this.disk.writeRate,
      rendered: this.rendered,
      measuringTake: this.take !== undefined,
      playback: transport && {
        shown: transport.shown,
        skipped: transport.skipped,
        reachedRate: reachedRate(transport),
      },
      layerCosts: this.costs.layerSummary(this.playhead, this.range),
      sharp: this.sharpFrame === this.playhead,
    };
  }
}

function reachedRate({ shown, firstShownMs, lastShownMs }: Transport): number {
  if (firstShownMs === undefined || shown < 2) return 0;
  return ((shown - 1) * 1000) / (lastShownMs - firstShownMs);
}
