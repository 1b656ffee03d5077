import type { Milliseconds, RendererClass, RenderSettings } from "@kinetocache/core";
import type { JobTable } from "./jobTable";
import { releasePixels } from "./pixels";
import type { EngineEvent, Status } from "./protocol/event";
import type { RenderOutcome } from "./protocol/rendering";
import type { RenderPool } from "./renderPool";
import type { Trial } from "./trial";

/** What a trial needs of the engine. */
interface TrialPorts {
  readonly pool: Pick<RenderPool, "size" | "freeSlots" | "resize" | "render">;
  readonly emit: (event: EngineEvent) => void;
  readonly jobs: Pick<JobTable, "newId" | "add" | "stopAll">;
  /** The class of renderer for a device, which the workers then have. */
  readonly rendererFor: (device: Trial["device"]) => RendererClass;
  /** Shows once more what is on show. */
  readonly showAgain: () => void;
}

/** Carries a trial out on the render workers. Whoever ends it sets them back to what they were. */
export class TrialRun {
  constructor(
    private readonly trial: Trial,
    private readonly ports: TrialPorts,
  ) {}

  get status(): Status["trial"] {
    const { of, step, progress } = this.trial;
    return { of, step, progress };
  }

  owns(job: number): boolean {
    return [...this.trial.jobs].includes(job);
  }

  /** Gives the workers what they can take. */
  step(settings: RenderSettings, nowMs: Milliseconds): void {
    const { pool, jobs, rendererFor } = this.ports;
    const { trial } = this;
    if (pool.size !== trial.parallel) pool.resize(trial.parallel);
    const renderer = rendererFor(trial.device);
    while (pool.freeSlots > 0) {
      const job = jobs.newId();
      const frame = trial.next(job, nowMs);
      if (frame === undefined) return;
      jobs.add({ kind: "trial" }, job);
      pool.render(job, { ...frame, settings: { ...settings, renderer } });
    }
  }

  /** @returns whether the trial is over: done, with its result told, or in trouble that is told */
  end(outcome: RenderOutcome): boolean {
    const { trial } = this;
    if (trial.isAsPlayed) this.ports.showAgain();
    const trouble = trial.end(outcome, performance.now());
    if (outcome.kind === "rendered") releasePixels(outcome.pixels);
    if (trouble !== undefined) this.notice(`The ${trial.of} could not be measured: ${trouble}`);
    else if (trial.isDone) trial.tell(this.ports.emit);
    else return false;
    this.ports.jobs.stopAll("trial");
    return true;
  }

  /** Ends it before it is done. */
  stop(): void {
    this.notice(`The measurement of ${this.trial.of} was stopped before its end.`);
    this.ports.jobs.stopAll("trial");
  }

  private notice(text: string): void {
    this.ports.emit({ kind: "notice", text });
  }
}
