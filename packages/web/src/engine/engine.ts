import { schedule, type Action, type ContentKey, type Milliseconds, type Mode } from "@kinetocache/core";
import { Admission, MOST_OVERFLOW } from "./admission";
import { AdviceDesk } from "./adviceDesk";
import { Agenda } from "./agenda";
import { Arrival } from "./arrival";
import { Bakery } from "./bakery";
import { BakeTrial } from "./bakeTrial";
import { BranchDesk } from "./branchDesk";
import { BrowserDesk } from "./browserDesk";
import { Calibration } from "./calibration";
import { Choices } from "./choices";
import { carryOut, isAction } from "./commands";
import { Contention } from "./contention";
import { CostKeeper } from "./costKeeper";
import type { Desks } from "./desks";
import { Devices } from "./devices";
import { DiskTier } from "./diskTier";
import { DiskWork } from "./diskWork";
import { FillOrders, progressOf } from "./fillOrders";
import { FillPace } from "./fillPace";
import { CostBook } from "./frameCosts";
import { HeldFrames } from "./heldFrames";
import { JobTable } from "./jobTable";
import { layerBarsOf } from "./layerBars";
import { MediaShelf } from "./media/mediaShelf";
import { OnShow } from "./onShow";
import { Outcomes } from "./outcomes";
import { OutlookDesk } from "./outlook";
import type { Surroundings } from "./parts";
import { Performer } from "./performer";
import { SparePixels } from "./pixels";
import { Player } from "./player";
import type { PreviewTimeline } from "./previewTimeline";
import type { Command } from "./protocol/command";
import type { RenderOutcome } from "./protocol/rendering";
import { Reports } from "./reports";
import { Responses, sharedNow } from "./responses";
import { SavingsDesk, workOutSavings } from "./savings";
import { FETCH_SLOTS, takeConditions, takeSnapshot } from "./snapshot";
import { Stage } from "./stage";
import { Staging } from "./staging";
import { statusOf, timelineDataOf } from "./status";
import { Timings } from "./timings";
import { spread } from "./trial";
import { TrialDesk } from "./trialDesk";
import { WarmUp } from "./warmUp";

// What was said of frames when less was known is said anew; of more frames that would take too long.
const MOST_AGAIN = 5000;

/**
 * The preview engine: owns the clock, memory, the viewer and the jobs, and does what the scheduler says.
 * Everything enters by `handle` and `onOutcome`; everything leaves by `emit`.
 */
export class Engine implements Desks {
  readonly pool: Surroundings["pool"];
  readonly viewer: Surroundings["viewer"];
  readonly emit: Surroundings["emit"];
  readonly choices = new Choices();
  readonly spares = new SparePixels(FETCH_SLOTS);
  readonly held = new HeldFrames((key, isHeld) => this.noteHeld(key, isHeld), this.spares);
  readonly branches = new BranchDesk(this.held);
  readonly book = new CostBook();
  readonly stage: Stage;
  readonly staging: Staging = new Staging(this);
  readonly onShow = new OnShow();
  readonly player: Player;
  readonly admission: Admission = new Admission(this);
  readonly disk: DiskTier;
  readonly diskWork: DiskWork;
  readonly jobs = new JobTable((job) => this.pool.stop(job));
  readonly orders = new FillOrders();
  readonly bakery: Bakery;
  readonly calibration = new Calibration();
  readonly warmUp = new WarmUp();
  readonly trials: TrialDesk = new TrialDesk(this);
  readonly devices: Devices;
  readonly media = new MediaShelf();
  readonly costKeeper: CostKeeper;
  readonly contention = new Contention();
  readonly timings: Timings = new Timings(this);
  readonly arrival = new Arrival();
  readonly pace = new FillPace();
  readonly reports: Reports;
  readonly responses = new Responses();
  readonly savings: SavingsDesk;
  readonly outlook: OutlookDesk;
  readonly advice: AdviceDesk;
  private readonly performer = new Performer(this);
  private readonly outcomes = new Outcomes(this);
  private readonly agenda = new Agenda(this);

  private lastActionMs: Milliseconds = 0;
  private isPumping = false;
  private goesOn = false;
  private timer: ReturnType<typeof setTimeout> | undefined;

  constructor({ pool, disks, sequences, viewer, emit }: Surroundings) {
    this.pool = pool;
    this.viewer = viewer;
    this.emit = emit;
    const { held, onShow, jobs } = this;
    const onChange = () => this.pump();
    const notice = (text: string) => emit({ kind: "notice", text });
    const tiers = { inMemory: (key: ContentKey) => held.has(key), onDisk: (key: ContentKey) => this.disk.has(key) };
    this.stage = new Stage(this.book, tiers, this.branches);
    this.player = new Player({
      emit,
      timeline: () => this.stage.timeline,
      settings: () => this.choices.settings,
      onStop: () => held.letGoAll(onShow.keys),
    });
    this.devices = new Devices(pool, notice);
    this.reports = new Reports(emit, {
      status: () => statusOf(this, this.modeAt(performance.now())),
      timeline: () => timelineDataOf(this),
      bars: () => (this.player.isPlaying ? undefined : layerBarsOf(this)),
      isBusy: () => this.isBusy,
    });
    this.disk = new DiskTier(disks, {
      onKeys: (keys, isHeld) => {
        this.stage.noteOnDisk(keys, isHeld);
        this.outlook.note();
      },
      onCosts: (costs) => {
        for (const [key, ms] of costs) this.book.learn(key, ms);
        this.stage.timeline?.estimateAgain();
      },
      onChange: () => {
        this.staging.noteServer();
        this.pump();
      },
      notice,
    });
    const desk = new BrowserDesk(disks.browser, emit, () => this.disk.refresh());
    this.diskWork = new DiskWork({ tier: this.disk, disks, desk, emit, onChange });
    this.bakery = new Bakery({ pool, jobs, sequences, emit, onChange });
    this.savings = new SavingsDesk(emit, () => this.workOutSavings());
    this.outlook = new OutlookDesk(emit, () => takeConditions(this));
    this.advice = new AdviceDesk(
      emit,
      () => this.knowsCosts,
      (ways, sequence, onDone) => {
        const course = spread(this.player.range);
        this.trials.start(new BakeTrial(ways, this.devices.device, pool.size, course, sequence, onDone));
      },
    );
    this.costKeeper = new CostKeeper(
      () => this.keepCosts(),
      () => !this.player.isPlaying,
    );
    void this.disk.refresh();
  }

  /** @param sentMs when it was sent, by `sharedNow` */
  handle(command: Command, sentMs: Milliseconds = sharedNow()): void {
    const now = performance.now();
    const acts = isAction(command);
    if (acts) {
      this.trials.stop();
      this.jobs.stopAll("warm-up");
      this.responses.noteAction(
        sentMs,
        this.jobs.for("fill").map(({ id }) => id),
      );
    }
    carryOut(this, command, sentMs);
    if (acts) this.lastActionMs = now;
    this.pump();
  }

  /** What a render worker sends back. */
  onOutcome(outcome: RenderOutcome): void {
    const job = this.jobs.end(outcome.job);
    this.responses.noteEnd(outcome.job, outcome.kind === "cancelled" ? outcome.stoppedMs : undefined);
    this.outcomes.take(job, outcome);
    this.pump();
  }

  /** Carries out what the scheduler says until it has nothing more to say. */
  pump(): void {
    if (this.isPumping) {
      this.goesOn = true;
      return;
    }
    this.isPumping = true;
    let now = performance.now();
    try {
      do {
        this.goesOn = false;
        now = performance.now();
        if (this.stage.timeline) this.step(this.stage.timeline, now);
      } while (this.goesOn);
    } catch (error) {
      // One step failed; the next message or timer takes the next one.
      const text = error instanceof Error ? error.message : String(error);
      this.emit({ kind: "notice", text: `The preview engine: ${text}` });
    } finally {
      this.isPumping = false;
    }
    this.setTimer(now);
    this.reports.schedule();
  }

  again(): void {
    this.goesOn = true;
  }

  private step(timeline: PreviewTimeline, now: Milliseconds): void {
    const { player } = this;
    if (this.trials.isRunning) {
      this.trials.step(now);
      return;
    }
    if (this.diskWork.trial) return;
    if (player.takeStartsMs !== undefined && now >= player.takeStartsMs) {
      this.startTake(timeline);
      // Its clock began after `now`, and nothing is due before that.
      this.again();
      return;
    }
    const mode = this.modeAt(now);
    timeline.keyOf(player.playhead);
    const bakes = this.bakery.isActive && !player.isTaking && this.calibration.isDone;
    // What was asked for comes before what fills by itself.
    const acting = bakes && mode === "filling" ? "parked" : mode;
    const actions = schedule(takeSnapshot(this, timeline, acting, now));
    for (const action of actions)
      if (action.kind === "end") this.endPlayback();
      else this.performer.perform(action);
    this.endOrder(timeline, actions, mode);
    if (bakes && (mode !== "playing" || !this.choices.settings.pauseFillingWhilePlaying))
      this.bakery.step(this.stage.document!);
    this.prepare(timeline, mode, now);
    this.disk.setQuiet(mode === "playing" || mode === "scrubbing");
  }

  /** Frames that nobody is shown: they tell what others cost, or warm the workers up. */
  private prepare(timeline: PreviewTimeline, mode: Mode, now: Milliseconds): void {
    const { calibration, jobs, pool, warmUp } = this;
    // Playing and filling warm the workers up themselves.
    if (mode !== "parked") warmUp.drop();
    if (mode === "playing" || this.player.isTaking || this.onShow.keys.length === 0) return;
    const begin = (kind: "calibration" | "warm-up", frame: number, fraction: number) =>
      pool.render(jobs.add({ kind }).id, { frame, settings: { ...timeline.settings, fraction } });
    if (pool.freeSlots > 0 && jobs.count("calibration") === 0) {
      const next = calibration.next();
      if (next) begin("calibration", next.frame, next.fraction);
    }
    while (calibration.isDone && pool.freeSlots > 0) {
      const frame = warmUp.next(now);
      if (frame === undefined) return;
      begin("warm-up", frame, timeline.settings.fraction);
    }
  }

  /** An order for which there is nothing left to start is done. */
  private endOrder(timeline: PreviewTimeline, actions: readonly Action[], mode: Mode): void {
    const { held, jobs, orders, pool, stage } = this;
    const order = orders.first;
    if (!order || mode === "playing" || pool.freeSlots === 0 || !this.calibration.isDone) return;
    const goesOn =
      actions.some((action) => "purpose" in action && action.purpose === "order") ||
      jobs.for("order").length > 0 ||
      stage.lanes!.hasUnkeyed ||
      held.overflowKeys.length >= MOST_OVERFLOW;
    if (goesOn) return;
    const progress = progressOf(order.target, timeline, stage.lanes!);
    orders.remove(order.id);
    this.staging.followLayers();
    if (progress.held < progress.total) {
      const text = `Filling ended at ${progress.held} of ${progress.total} frames: memory takes no more of them.`;
      this.emit({ kind: "notice", text });
    }
    this.again();
  }

  private startTake(timeline: PreviewTimeline): void {
    timeline.computeKeys(Infinity);
    this.player.startTake({
      document: this.stage.document!,
      bakes: this.stage.bakes,
      settings: this.choices.inForce,
      layers: this.choices.layers,
      graphicsFault: this.devices.faultReason,
      missing: this.media.reasonsIn(timeline.document),
      residency: timeline.residency,
      expected: timeline.costs.costs.slice(),
    });
  }

  private endPlayback(): void {
    const take = this.player.finish();
    this.timings.enter();
    this.staging.estimateAgain();
    this.again();
    if (!take) return;
    const { costs, measured } = this.stage.timeline!.costs;
    const { in: first, out } = this.player.range;
    this.emit({
      kind: "take",
      take: { ...take, costs: costs.slice(first, out), measured: measured.slice(first, out) },
    });
  }

  private modeAt(now: Milliseconds): Mode {
    const idle = this.choices.chosen && now - this.lastActionMs >= this.choices.settings.idleDelayMs;
    return this.player.modeAt(now, Boolean(idle) && this.agenda.mayFill);
  }

  /** @param now when the last step took place */
  private setTimer(now: Milliseconds): void {
    clearTimeout(this.timer);
    const { timeline } = this.stage;
    const wakeMs = timeline && this.agenda.wakeMs(timeline, now, this.lastActionMs);
    if (wakeMs === undefined) return;
    const wake = () => {
      this.agenda.work(timeline!);
      this.pump();
    };
    this.timer = setTimeout(wake, Math.max(0, wakeMs - performance.now() + 0.5));
  }

  private get isBusy(): boolean {
    const { player, trials, diskWork, jobs, disk } = this;
    const works = player.isPlaying || trials.isRunning || jobs.size > 0 || disk.queued > 0;
    return works || diskWork.trial !== undefined || diskWork.carrying !== undefined;
  }

  private noteHeld(key: ContentKey, isHeld: boolean): void {
    this.stage.noteHeld(key, isHeld);
    this.outlook.note();
  }

  /** Whether it is known what frames cost, so that advice can follow from it. */
  private get knowsCosts(): boolean {
    const { timeline } = this.stage;
    if (!timeline || !this.calibration.isDone || timeline.hasUnkeyed || timeline.hasUnestimated) return false;
    // Where one frame is estimated, all are.
    return timeline.costs.costs[this.player.range.out - 1]! > 0;
  }

  private workOutSavings(): ReturnType<typeof workOutSavings> | undefined {
    const { timeline } = this.stage;
    if (!timeline || !this.calibration.isDone) return undefined;
    const { document, settings, bakes } = timeline;
    return workOutSavings(document, settings, bakes, this.player.range, this.book.modelOf(settings.renderer));
  }

  private keepCosts(): void {
    const { timeline } = this.stage;
    if (!timeline) return;
    this.emit({ kind: "costs", record: this.book.record(timeline.document.id, timeline.keys()) });
    if (timeline.duration <= MOST_AGAIN) this.staging.estimateAgain();
  }
}
