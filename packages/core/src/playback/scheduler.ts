import { rangeLength, wrapFrame, type FrameNumber, type FrameRange, type Milliseconds } from "../composition";
import { IN_MEMORY, ON_DISK } from "../cache";
import type { PlayheadWindow } from "../machine";

export type Mode = "parked" | "scrubbing" | "playing" | "filling";
/** What happens to a frame that cannot be ready in time. */
export type Pacing = "keep time" | "show every frame";

/**
 * Why a job was started. A job for filling while idle gives way to everything else; one that was ordered goes on, as
 * long as what is to be shown needs no more than the others.
 */
export type Purpose = "view" | "scrub" | "play" | "fill" | "order" | "sharpen";

/** Filling that was asked for by hand. */
export type FillTarget =
  | { readonly kind: "frames"; readonly range: FrameRange }
  /** The layer's finished pixels, over a range. */
  | { readonly kind: "layer"; readonly layer: string; readonly range: FrameRange };

/** A frame, or a layer's finished pixels of it, under way. */
export interface FrameJob {
  readonly id: number;
  readonly kind: "render" | "fetch";
  readonly frame: FrameNumber;
  readonly purpose: Purpose;
  /** The layer whose finished pixels are made, where it is not the whole frame. */
  readonly layer?: string;
  readonly startedMs: Milliseconds;
}

export type Job =
  | FrameJob
  /** A picture of a bake: it was asked for, and waits where orders wait. */
  | { readonly id: number; readonly kind: "bake" }
  /** A frame that is rendered only to measure, or to warm a worker up. */
  | { readonly id: number; readonly kind: "trial" };

/** When playback began: step n is due at startMs + n · budget. */
export interface PlayClock {
  readonly startMs: Milliseconds;
  readonly startFrame: FrameNumber;
  /** Frames a step: 1, more for shuttle, negative backwards. */
  readonly speed: number;
  readonly pacing: Pacing;
  readonly loop: boolean;
}

/** How long frames take to be rendered at present. */
export interface RenderPace {
  /** What rendering each frame costs; 0 where nothing is known of it. */
  readonly costs: Float32Array;
  /** How many times as long it takes. */
  readonly slowdown: number;
  /** What a frame takes of which nothing is known. */
  readonly unknownMs: Milliseconds;
}

export function renderMs({ costs, slowdown, unknownMs }: RenderPace, frame: FrameNumber): Milliseconds {
  const costMs = costs[frame]!;
  return costMs > 0 ? costMs * slowdown : unknownMs;
}

/**
 * Everything the scheduler may know: plain data, which can be recorded and given to it again. It has no clock and
 * changes nothing.
 */
export interface Snapshot {
  readonly nowMs: Milliseconds;
  readonly mode: Mode;
  readonly playhead: FrameNumber;
  readonly duration: number;
  readonly range: FrameRange;
  readonly budgetMs: Milliseconds;
  /** Bits of where each frame is held. */
  readonly residency: Uint8Array;
  readonly jobs: readonly Job[];
  readonly renderSlots: number;
  readonly fetchSlots: number;
  readonly rendering: RenderPace;
  readonly fetchMs: Milliseconds;
  readonly window: PlayheadWindow;
  /** While playing. */
  readonly clock?: PlayClock;
  /** Step shown last while playing, -1 before the first. */
  readonly shownStep: number;
  /** Frame shown last. */
  readonly shownFrame?: FrameNumber;
  /** Frames that memory holds in all. */
  readonly memoryFits: number;
  /** Frames of this timeline that memory can still take without losing another of them. */
  readonly memoryRoom: number;
  /** Frames that memory cannot take are rendered for the disk where they cost at least this; Infinity for none. */
  readonly diskFromMs: Milliseconds;
  readonly sharpen: "off" | "wanted" | "running" | "done";
  /** Frames that are rendered and wait to be written to disk, which alone will hold them. */
  readonly overflow: ReadonlySet<FrameNumber>;
  /** Frames that cannot be rendered: where they are held they are shown, and otherwise left alone until something changes. */
  readonly failed: ReadonlySet<FrameNumber>;
  /** The playhead's frame at the size for scrubbing, where that is smaller than the preview. */
  readonly scrub: "off" | "wanted" | "held" | "shown";
  /** What was asked for by hand and is not paused, in order. */
  readonly orders: readonly FillTarget[];
  /** Layers whose finished pixels are filled while idle. */
  readonly marked: readonly string[];
  /** By layer, not 0 for each frame whose finished pixels are held, or where there is nothing to hold. */
  readonly layersFilled: ReadonlyMap<string, Uint8Array>;
  /** What idle filling covers: everything, or the marked layers alone. */
  readonly idleFills: "frames" | "marked";
  readonly fillsWhilePlaying: boolean;
}

export type Action =
  | { readonly kind: "show"; readonly frame: FrameNumber; readonly step: number }
  | { readonly kind: "skip"; readonly frame: FrameNumber; readonly step: number }
  | {
      readonly kind: "render";
      readonly frame: FrameNumber;
      readonly purpose: Purpose;
      readonly keep: "memory" | "disk";
      readonly layer?: string;
    }
  /** The playhead's frame at the size for scrubbing, which is held. */
  | { readonly kind: "showScrub"; readonly frame: FrameNumber }
  | { readonly kind: "fetch"; readonly frame: FrameNumber; readonly purpose: Purpose }
  | { readonly kind: "cancel"; readonly job: number }
  /** Playback of a range without loop has shown its last frame. */
  | { readonly kind: "end" };

/** Step that is due at a time. */
export function stepAt(clock: PlayClock, nowMs: Milliseconds, budgetMs: Milliseconds): number {
  return Math.floor((nowMs - clock.startMs) / budgetMs + 1e-9);
}

/** Frame of a step, or undefined past the end of a range that does not loop. */
export function frameOfStep(clock: PlayClock, step: number, range: FrameRange): FrameNumber | undefined {
  const frame = clock.startFrame + step * clock.speed;
  if (clock.loop) return wrapFrame(frame, range);
  return frame >= range.in && frame < range.out ? frame : undefined;
}

/** By how much all later steps move when one is shown so late that it has stalled; 0 where it has not. */
export function stallOf(clock: PlayClock, step: number, nowMs: Milliseconds, budgetMs: Milliseconds): Milliseconds {
  const lateBy = nowMs - (clock.startMs + step * budgetMs);
  return clock.pacing === "keep time" || lateBy <= budgetMs ? 0 : lateBy;
}

/** Of what happens beside playback: nothing. */
export const PLAYBACK_ALONE = {
  mode: "playing",
  memoryRoom: 0,
  diskFromMs: Infinity,
  sharpen: "off",
  overflow: new Set<FrameNumber>(),
  scrub: "off",
  orders: [],
  marked: [],
  layersFilled: new Map<string, Uint8Array>(),
  idleFills: "frames",
  fillsWhilePlaying: false,
} as const satisfies Partial<Snapshot>;

/**
 * Decides what to do next. Pure: the live engine and the simulator call it with their own clocks.
 */
export function schedule(snapshot: Snapshot): Action[] {
  switch (snapshot.mode) {
    case "playing":
      return new Plan(snapshot).playing(snapshot.clock!);
    case "filling":
      return new Plan(snapshot).filling();
    default:
      return new Plan(snapshot).still();
  }
}

/** Collects actions while counting the slots they take. */
class Plan {
  private readonly actions: Action[] = [];
  /** Frames that are under way, and layers' pixels by their name. */
  private readonly busy = new Set<FrameNumber | string>();
  private renderSlots: number;
  private fetchSlots: number;

  constructor(private readonly s: Snapshot) {
    this.renderSlots = s.renderSlots;
    this.fetchSlots = s.fetchSlots;
    for (const job of s.jobs) this.take(job);
  }

  /** Parked and scrubbing: the picture under the playhead, and nothing else. */
  still(): Action[] {
    const { playhead, mode, jobs } = this.s;
    for (const job of jobs) {
      if (!isOfFrame(job) || job.purpose === "order") continue;
      const outdated =
        job.frame !== playhead || job.layer !== undefined || (mode === "scrubbing" && job.purpose === "sharpen");
      if (outdated || this.isReadSooner(job)) this.cancel(job);
    }
    if (this.inMemory(playhead)) {
      if (this.s.shownFrame !== playhead) this.actions.push({ kind: "show", frame: playhead, step: 0 });
      if (mode === "parked") this.sharpen();
    } else if (mode === "scrubbing" && this.s.scrub !== "off") this.scrub();
    else if (!this.obtain(playhead, "view")) this.makeRoom();
    if (mode !== "filling") this.fillOrders();
    return this.actions;
  }

  /** Whether a frame is being rendered to be seen that was found on disk only now, and is quicker to read. */
  private isReadSooner({ kind, purpose, frame }: FrameJob): boolean {
    const isRead = () => this.s.jobs.some((job) => job.kind === "fetch" && job.frame === frame);
    return kind === "render" && purpose === "view" && this.isQuickerRead(frame) && !isRead();
  }

  /** The frame under the pointer, at the size for scrubbing. */
  private scrub(): void {
    const { scrub, playhead, jobs } = this.s;
    if (jobs.some((job) => isOfFrame(job) && job.purpose === "scrub" && job.frame === playhead)) return;
    if (scrub === "held") this.actions.push({ kind: "showScrub", frame: playhead });
    else if (scrub === "wanted" && !this.render(playhead, "scrub", "memory")) this.makeRoom();
  }

  /** What was asked for gives a slot to what is to be shown. */
  private makeRoom(): void {
    const { playhead, failed } = this.s;
    if (this.renderSlots > 0 || this.busy.has(playhead) || failed.has(playhead)) return;
    const ordered = this.s.jobs.find((job) => isAskedFor(job) && job.kind !== "fetch");
    if (ordered) this.cancel(ordered);
  }

  private fillOrders(): void {
    let room = this.roomLeft();
    for (const order of this.s.orders) room = this.fill(targetsOf(order, this.s), "order", room);
  }

  /** Frames that memory can still take, beside those under way. */
  private roomLeft(): number {
    const isFilling = ({ purpose, layer }: FrameJob) =>
      (purpose === "fill" || purpose === "order") && layer === undefined;
    return this.s.memoryRoom - this.s.jobs.filter((job) => isOfFrame(job) && isFilling(job)).length;
  }

  /** The window around the playhead, then the in–out range, then the rest. */
  filling(): Action[] {
    const actions = this.still();
    this.fillOrders();
    this.fill(fillOrder(this.s), "fill", this.roomLeft());
    return actions;
  }

  /** Starts what is not held, in order, while there are slots. @returns the room that is left */
  private fill(targets: Iterable<Target>, purpose: "fill" | "order", room: number): number {
    for (const { frame, layer } of targets) {
      if (this.renderSlots <= 0 && this.fetchSlots <= 0) break;
      if (layer !== undefined) {
        if (this.s.layersFilled.get(layer)?.[frame] === 0 && !this.busy.has(nameOf(frame, layer)))
          this.render(frame, purpose, "memory", layer);
        continue;
      }
      if (this.inMemory(frame) || this.busy.has(frame) || this.s.overflow.has(frame)) continue;
      if (room > 0) {
        if (this.obtain(frame, purpose)) room--;
      } else if (!this.onDisk(frame) && this.s.rendering.costs[frame]! >= this.s.diskFromMs)
        this.render(frame, purpose, "disk");
    }
    return room;
  }

  playing(clock: PlayClock): Action[] {
    // Background work of any kind gives way to playback.
    const { jobs, fillsWhilePlaying } = this.s;
    const givesWay = (job: Job) =>
      isAskedFor(job) ? !fillsWhilePlaying : isOfFrame(job) && ["fill", "sharpen", "scrub"].includes(job.purpose);
    for (const job of jobs) if (givesWay(job)) this.cancel(job);
    const step = clock.pacing === "keep time" ? this.showByClock(clock) : this.showNext(clock);
    if (step === undefined) return this.actions;
    const hasPrepared = this.prepare(clock, step);
    if (fillsWhilePlaying && hasPrepared) this.fillOrders();
    else if (fillsWhilePlaying) for (const job of jobs) if (isAskedFor(job)) this.cancel(job);
    return this.actions;
  }

  /**
   * Shows the frame that is due; while that is not there, the latest one before it that arrived too late, because
   * a late picture is better than none. What was passed over is skipped. @returns the step that is due
   */
  private showByClock(clock: PlayClock): number | undefined {
    const { nowMs, budgetMs, range, shownStep } = this.s;
    const due = stepAt(clock, nowMs, budgetMs);
    if (frameOfStep(clock, due, range) === undefined) {
      this.skipUntil(due, clock);
      this.actions.push({ kind: "end" });
      return undefined;
    }
    for (let step = due; step > shownStep; step--) {
      const frame = frameOfStep(clock, step, range)!;
      if (!this.inMemory(frame)) continue;
      this.skipUntil(step, clock);
      this.actions.push({ kind: "show", frame, step });
      break;
    }
    return due;
  }

  /** Skips the steps after the one shown last, up to another. */
  private skipUntil(end: number, clock: PlayClock): void {
    for (let step = this.s.shownStep + 1; step < end; step++) {
      const frame = frameOfStep(clock, step, this.s.range);
      if (frame !== undefined) this.actions.push({ kind: "skip", frame, step });
    }
  }

  /** Shows the next frame as soon as it is there and due. @returns the step shown last */
  private showNext(clock: PlayClock): number | undefined {
    const { nowMs, budgetMs, range, shownStep, failed } = this.s;
    const next = shownStep + 1;
    const frame = frameOfStep(clock, next, range);
    if (frame === undefined) {
      this.actions.push({ kind: "end" });
      return undefined;
    }
    if (nowMs + 1e-6 < clock.startMs + next * budgetMs) return shownStep;
    if (this.inMemory(frame)) this.actions.push({ kind: "show", frame, step: next });
    else if (failed.has(frame) && !this.onDisk(frame)) this.actions.push({ kind: "skip", frame, step: next });
    else return shownStep;
    return next;
  }

  /** Works by deadline from the playhead to the window's end. @returns whether all of it is held or under way */
  private prepare(clock: PlayClock, current: number): boolean {
    const { nowMs, budgetMs, range, window, memoryFits } = this.s;
    const length = rangeLength(range);
    const reach = Math.min(window.after, length - 1);
    let tooLate: FrameNumber | undefined;
    let complete = true;
    const next = Math.max(current, this.s.shownStep + 1);
    // The next one is always among them, also where the range has no other.
    for (let step = next; step <= Math.max(next, current + reach); step++) {
      if (this.renderSlots <= 0 && this.fetchSlots <= 0) return false;
      const frame = frameOfStep(clock, step, range);
      if (frame === undefined) break;
      if (this.inMemory(frame) || this.busy.has(frame)) continue;
      complete = false;
      if (memoryFits < length && step - current > this.lead(frame)) break;
      const deadline = clock.pacing === "keep time" ? clock.startMs + (step + 1) * budgetMs : Infinity;
      if (this.onDisk(frame) && nowMs + this.s.fetchMs < deadline) {
        if (this.fetchSlots > 0) this.fetch(frame, "play");
      } else if (nowMs + renderMs(this.s.rendering, frame) < deadline) this.render(frame, "play", "memory");
      else tooLate = frame;
    }
    // By the estimates nothing can be ready in time. They may be wrong, and a late picture is better than none.
    if (tooLate !== undefined && this.renderSlots === this.s.renderSlots) this.render(tooLate, "play", "memory");
    return complete;
  }

  /**
   * Steps ahead at which a frame is begun when the loop does not fit into memory. Whatever is made earlier
   * than it must be takes the place of a frame that was still to be shown, and that one is then made twice.
   */
  private lead(frame: FrameNumber): number {
    const ms = this.onDisk(frame) ? this.s.fetchMs : renderMs(this.s.rendering, frame);
    return Math.ceil(ms / this.s.budgetMs) + this.s.renderSlots;
  }

  private sharpen(): void {
    const { sharpen, playhead, shownFrame } = this.s;
    if (sharpen === "wanted" && shownFrame === playhead && !this.busy.has(playhead))
      this.render(playhead, "sharpen", "memory");
  }

  /** Fetches a frame from disk or renders it. @returns whether a job was started */
  private obtain(frame: FrameNumber, purpose: Purpose): boolean {
    if (this.busy.has(frame)) return false;
    if (this.isQuickerRead(frame)) return this.fetch(frame, purpose);
    return this.render(frame, purpose, "memory");
  }

  private isQuickerRead(frame: FrameNumber): boolean {
    if (!this.onDisk(frame)) return false;
    return this.s.failed.has(frame) || this.s.fetchMs < renderMs(this.s.rendering, frame);
  }

  private fetch(frame: FrameNumber, purpose: Purpose): boolean {
    if (this.fetchSlots <= 0) return false;
    this.fetchSlots--;
    this.busy.add(frame);
    this.actions.push({ kind: "fetch", frame, purpose });
    return true;
  }

  private render(frame: FrameNumber, purpose: Purpose, keep: "memory" | "disk", layer?: string): boolean {
    if (this.renderSlots <= 0 || this.s.failed.has(frame)) return false;
    this.renderSlots--;
    this.busy.add(nameOf(frame, layer));
    this.actions.push({ kind: "render", frame, purpose, keep, ...(layer === undefined ? {} : { layer }) });
    return true;
  }

  private take(job: Job): void {
    if (isOfFrame(job)) this.busy.add(nameOf(job.frame, job.layer));
    if (job.kind === "fetch") this.fetchSlots--;
    else this.renderSlots--;
  }

  private cancel(job: Job): void {
    if (this.s.mode === "filling" && isOfFrame(job) && job.purpose === "fill") return;
    this.actions.push({ kind: "cancel", job: job.id });
    // The slot stays taken until the job has really stopped.
    if (isOfFrame(job)) this.busy.delete(nameOf(job.frame, job.layer));
  }

  private inMemory(frame: FrameNumber): boolean {
    return (this.s.residency[frame]! & IN_MEMORY) !== 0;
  }

  private onDisk(frame: FrameNumber): boolean {
    return (this.s.residency[frame]! & ON_DISK) !== 0;
  }
}

function isOfFrame(job: Job): job is FrameJob {
  return job.kind === "render" || job.kind === "fetch";
}

/** Whether the user waits for it, but not for a picture under the playhead. */
function isAskedFor(job: Job): boolean {
  return job.kind === "bake" || (isOfFrame(job) && job.purpose === "order");
}

/** A frame to fill, or a layer's finished pixels of it. */
interface Target {
  readonly frame: FrameNumber;
  readonly layer?: string;
}

function nameOf(frame: FrameNumber, layer: string | undefined): FrameNumber | string {
  return layer === undefined ? frame : `${layer}:${frame}`;
}

type Reach = Pick<Snapshot, "playhead" | "window" | "range" | "duration">;

function* targetsOf(order: FillTarget, { playhead, duration }: Reach): Generator<Target> {
  const { range } = order;
  const end = Math.min(range.out, duration);
  const layer = order.kind === "layer" ? order.layer : undefined;
  const length = Math.max(0, end - range.in);
  const start = playhead >= range.in && playhead < end ? playhead - range.in : 0;
  for (let step = 0; step < length; step++) yield { frame: range.in + ((start + step) % length), layer };
}

/**
 * What is filled while idle, in order, each once: the window around the playhead, the in–out range, the marked
 * layers, the rest; or of the marked layers alone.
 */
export function* fillOrder(s: Reach & Pick<Snapshot, "marked" | "idleFills">): Generator<Target> {
  const { marked, idleFills } = s;
  if (idleFills === "marked") {
    for (const stretch of [inWindow(s), inRange(s), inRest(s)])
      for (const frame of stretch) for (const layer of marked) yield { frame, layer };
    return;
  }
  for (const frame of inWindow(s)) yield { frame };
  for (const frame of inRange(s)) yield { frame };
  for (const stretch of [inWindow(s), inRange(s), inRest(s)])
    for (const frame of stretch) for (const layer of marked) yield { frame, layer };
  for (const frame of inRest(s)) yield { frame };
}

function windowOf({ playhead, window, duration }: Reach): { readonly first: FrameNumber; readonly last: FrameNumber } {
  return { first: Math.max(0, playhead - window.before), last: Math.min(duration - 1, playhead + window.after) };
}

/** Ahead of the playhead first. */
function* inWindow(s: Reach): Generator<FrameNumber> {
  const { first, last } = windowOf(s);
  for (let frame = s.playhead; frame <= last; frame++) yield frame;
  for (let frame = s.playhead - 1; frame >= first; frame--) yield frame;
}

/** The rest of the in–out range, from the playhead on. */
function* inRange(s: Reach): Generator<FrameNumber> {
  const { first, last } = windowOf(s);
  for (let step = 0; step < rangeLength(s.range); step++) {
    const frame = wrapFrame(s.playhead + step, s.range);
    if (frame < first || frame > last) yield frame;
  }
}

/** All other frames, from the playhead on. */
function* inRest(s: Reach): Generator<FrameNumber> {
  const { first, last } = windowOf(s);
  for (let step = 0; step < s.duration; step++) {
    const frame = (s.playhead + step) % s.duration;
    if ((frame < first || frame > last) && (frame < s.range.in || frame >= s.range.out)) yield frame;
  }
}
