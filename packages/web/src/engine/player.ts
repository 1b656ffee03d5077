import {
  clampFrame,
  frameBudgetMs,
  type ContentKey,
  type FrameNumber,
  type FrameRange,
  type Milliseconds,
  type Mode,
  type Origin,
  type PlayClock,
} from "@kinetocache/core";
import type { PreviewTimeline } from "./previewTimeline";
import type { PreviewSettings } from "./protocol/command";
import type { EngineEvent, MeasuredTake } from "./protocol/event";
import type { Position } from "./stage";
import { TakeRecorder, type TakeRun } from "./takeRecorder";
import { Transport } from "./transport";

// Frames a step when shuttling.
const FASTEST = 8;
// A drag counts as scrubbing until the pointer has rested this long.
export const SCRUB_REST_MS: Milliseconds = 250;
// A take begins when the screen has drawn that it is being measured: doing both at once delays the first frames.
const TAKE_LEAD_MS: Milliseconds = 300;

/** What a player needs of the engine. */
interface PlayerPorts {
  readonly emit: (event: EngineEvent) => void;
  readonly timeline: () => PreviewTimeline | undefined;
  readonly settings: () => Pick<PreviewSettings, "loop" | "pacing">;
  /** Playback or a take is over: what was made for it is not waited for any more. */
  readonly onStop: () => void;
}

/** Where the playhead is, how it moves, and the take that is recorded meanwhile. */
export class Player {
  playhead: FrameNumber = 0;
  private chosen: FrameRange = { in: 0, out: 1 };
  private running: Transport | undefined;
  private recorder: TakeRecorder | undefined;
  private takeFromMs: Milliseconds | undefined;
  private scrubbedMs: Milliseconds = -Infinity;
  /** Where frames came from that were obtained during this run of playback and not shown yet. */
  private readonly origins = new Map<ContentKey, Origin>();

  constructor(private readonly ports: PlayerPorts) {}

  get range(): FrameRange {
    return this.chosen;
  }

  get transport(): Transport | undefined {
    return this.running;
  }

  get isPlaying(): boolean {
    return this.running !== undefined;
  }

  get take(): TakeRecorder | undefined {
    return this.recorder;
  }

  /** When a take that was asked for begins. */
  get takeStartsMs(): Milliseconds | undefined {
    return this.takeFromMs;
  }

  get isTaking(): boolean {
    return this.recorder !== undefined || this.takeFromMs !== undefined;
  }

  /** When the pointer was dragged along the timeline last. */
  get lastScrubMs(): Milliseconds {
    return this.scrubbedMs;
  }

  get position(): Position {
    const { playhead, range, running } = this;
    return { playhead, range, direction: running?.direction };
  }

  get budgetMs(): Milliseconds {
    return frameBudgetMs(this.ports.timeline()!.composition.rate);
  }

  /** @param mayFill whether background rendering has its turn when nothing else is done */
  modeAt(now: Milliseconds, mayFill: boolean): Mode {
    if (this.running) return "playing";
    if (now - this.scrubbedMs < SCRUB_REST_MS) return "scrubbing";
    return mayFill ? "filling" : "parked";
  }

  /** Another document is open. */
  reset(duration: number): void {
    this.running = undefined;
    this.recorder = undefined;
    this.takeFromMs = undefined;
    this.playhead = 0;
    this.chosen = { in: 0, out: duration };
  }

  play(speed: number): void {
    if (!this.ports.timeline()) return;
    const { playhead, range } = this;
    const inRange = playhead >= range.in && playhead < range.out;
    const startFrame = inRange ? playhead : speed > 0 ? range.in : range.out - 1;
    this.begin({ startFrame, speed, loop: this.ports.settings().loop });
  }

  toggle(): void {
    if (this.running) this.pause();
    else this.play(1);
  }

  shuttle(direction: 1 | -1): void {
    const speed = this.running?.clock.speed ?? 0;
    const faster = Math.sign(speed) === direction ? Math.min(FASTEST, Math.abs(speed) * 2) : 1;
    this.play(direction * faster);
  }

  /** A new loop or pacing is taken up from the frame on show. */
  takeUp(): void {
    if (this.running) this.play(this.running.clock.speed);
  }

  /** @param changed whether it is because what a take is of has changed */
  pause(changed = false): void {
    this.running = undefined;
    this.ports.onStop();
    if (this.isTaking) this.ports.emit({ kind: "takeStopped", changed });
    this.recorder = undefined;
    this.takeFromMs = undefined;
  }

  seek(frame: FrameNumber): void {
    this.pause();
    this.playhead = clampFrame(frame, { in: 0, out: this.ports.timeline()?.duration ?? 1 });
  }

  /** The pointer was dragged along the timeline. */
  noteScrub(): void {
    this.scrubbedMs = performance.now();
  }

  setRange(range: FrameRange): void {
    this.endTake();
    this.chosen = range;
  }

  /** Puts an end of the range at the playhead. The other end gives way where it has to: a range holds at least one frame. */
  setEnd(end: "in" | "out"): void {
    const { playhead, range } = this;
    this.setRange(
      end === "in"
        ? { in: playhead, out: Math.max(range.out, playhead + 1) }
        : { in: Math.min(range.in, playhead), out: playhead + 1 },
    );
  }

  askForTake(now: Milliseconds): void {
    this.pause();
    this.takeFromMs = now + TAKE_LEAD_MS;
  }

  startTake(run: Omit<TakeRun, "range" | "startMs">): void {
    const { range } = this;
    this.begin({ startFrame: range.in, speed: 1, loop: false });
    this.recorder = new TakeRecorder({ ...run, range, startMs: this.running!.clock.startMs });
  }

  /** A take is of one state under the same settings from its start to its end. */
  endTake(): void {
    if (this.isTaking) this.pause(true);
  }

  /** Playback has shown its last frame. @returns the take, where one was recorded */
  finish(): MeasuredTake | undefined {
    const { recorder } = this;
    this.recorder = undefined;
    this.running = undefined;
    return recorder?.finish();
  }

  noteOrigin(key: ContentKey, origin: Origin): void {
    if (this.running) this.origins.set(key, origin);
  }

  /** Pictures are on show for a step. */
  showed(step: number, frame: FrameNumber, keys: readonly ContentKey[], now: Milliseconds): void {
    const origin = keys.map((key) => this.origins.get(key)).find((one) => one !== undefined) ?? "memory";
    keys.forEach((key) => this.origins.delete(key));
    if (!this.running) return;
    this.playhead = frame;
    const stallMs = this.running.show(step, now);
    this.recorder?.shown(step, frame, now, origin, this.budgetMs);
    if (stallMs > 0) this.recorder?.stalled(stallMs);
  }

  skipped(step: number, frame: FrameNumber): void {
    this.playhead = frame;
    this.running!.skip(step);
    this.recorder?.skipped(step, frame, this.budgetMs);
  }

  private begin(run: Pick<PlayClock, "startFrame" | "speed" | "loop">): void {
    const { pacing } = this.ports.settings();
    this.running = new Transport({ ...run, startMs: performance.now(), pacing }, this.budgetMs);
    this.origins.clear();
    this.takeFromMs = undefined;
  }
}
