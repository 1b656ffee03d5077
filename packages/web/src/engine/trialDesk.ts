import type { Milliseconds, RenderDevice } from "@kinetocache/core";
import { GraphicsTrial } from "./graphicsTrial";
import { ParallelTrial } from "./parallelTrial";
import type { Parts } from "./parts";
import { releasePixels } from "./pixels";
import type { Status } from "./protocol/event";
import type { RenderOutcome } from "./protocol/rendering";
import { courseOf, type Trial } from "./trial";
import { TrialRun } from "./trialRun";

/** Measurements that have the render workers for themselves, one at a time. */
export class TrialDesk {
  private run: TrialRun | undefined;

  constructor(private readonly engine: Parts) {}

  get isRunning(): boolean {
    return this.run !== undefined;
  }

  get status(): Status["trial"] {
    return this.run?.status;
  }

  measureParallel(cores: number): void {
    const { devices, player, stage } = this.engine;
    if (stage.document) this.start(new ParallelTrial(cores, courseOf(stage.document, player.range), devices.device));
  }

  measureGraphics(devices: readonly RenderDevice[]): void {
    const { choices, player, stage } = this.engine;
    const { document } = stage;
    if (!document) return;
    const course = courseOf(document, player.range);
    this.start(new GraphicsTrial(devices, course, choices.settings.parallel, document.depth === "8-bit"));
  }

  /** Everything else rests meanwhile. */
  measureFormats(location: string): void {
    const { diskWork, held, jobs, player, stage } = this.engine;
    const { timeline } = stage;
    if (!timeline) return;
    player.pause();
    jobs.stopAll();
    const keys = [...held.keys()].filter((key) => timeline.has(key));
    void diskWork.measureFormats(
      location,
      keys.flatMap((key) => held.peek(key) ?? []),
    );
  }

  start(trial: Trial): void {
    const { devices, emit, jobs, player, pool, stage } = this.engine;
    if (!stage.timeline) return;
    player.pause();
    jobs.stopAll();
    const rendererFor = (device: RenderDevice) => devices.use(device);
    this.run = new TrialRun(trial, { pool, emit, jobs, rendererFor, showAgain: () => this.showAgain() });
  }

  /** As often as in playback, what is on show is shown once more, where it is in memory: that looks the same. */
  private showAgain(): void {
    const { held, onShow, player, stage, viewer } = this.engine;
    const now = performance.now();
    if (onShow.frame === undefined || now - onShow.atMs < player.budgetMs) return;
    const pictures = onShow.keys.flatMap((key) => held.peek(key) ?? []);
    if (pictures.length !== onShow.keys.length) return;
    viewer.show(pictures, stage.comparison);
    // It is sharpened anew, where it was.
    onShow.show(onShow.frame, onShow.keys, now);
  }

  /** Goes on once what was under way before has ended: then the workers are its own. */
  step(now: Milliseconds): void {
    const { jobs, stage } = this.engine;
    if (jobs.size === jobs.count("trial")) this.run?.step(stage.timeline!.settings, now);
  }

  /** What became of a frame of the trial. */
  end(outcome: RenderOutcome): void {
    const { advice } = this.engine;
    if (!this.run?.owns(outcome.job)) {
      // It was begun for one that was stopped.
      if (outcome.kind === "rendered") releasePixels(outcome.pixels);
      return;
    }
    if (!this.run.end(outcome)) return;
    this.drop();
    // What could not be tried is not advised.
    if (!advice.isDue) advice.drop();
  }

  /** Whatever is being measured ends: the user does something else. */
  stop(): void {
    const { advice, diskWork, emit } = this.engine;
    diskWork.stopMeasuring();
    const wasAdvising = advice.drop();
    if (this.run) this.run.stop();
    else if (wasAdvising) emit({ kind: "notice", text: "Finding out what is worth baking was stopped." });
    this.drop();
  }

  /** The workers are back at what they were set to. */
  private drop(): void {
    const { choices, devices, pool } = this.engine;
    if (!this.run) return;
    this.run = undefined;
    pool.resize(choices.settings.parallel);
    devices.use(devices.device);
  }
}
