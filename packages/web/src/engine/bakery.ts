import type { Bake, Document } from "@kinetocache/core";
import { BakeRun, type BakeStatus } from "./bakeRun";
import type { JobTable } from "./jobTable";
import type { EngineEvent } from "./protocol/event";
import type { RenderOutcome } from "./protocol/rendering";
import type { RenderPool } from "./renderPool";
import type { SequencePort } from "./sequenceClient";

/** What bakes need of the engine. */
interface BakeryPorts {
  readonly pool: Pick<RenderPool, "freeSlots" | "bake">;
  readonly jobs: JobTable;
  readonly sequences: SequencePort;
  readonly emit: (event: EngineEvent) => void;
  /** Called when there may be something more to do. */
  readonly onChange: () => void;
}

/** Carries bakes out on the render workers, one after the other. */
export class Bakery {
  private runs: BakeRun[] = [];

  constructor(private readonly ports: BakeryPorts) {}

  get status(): readonly BakeStatus[] {
    return this.runs.map((run) => run.status);
  }

  /** Whether there is work for the render workers. */
  get isActive(): boolean {
    return this.runs.some(({ paused }) => !paused);
  }

  start(bake: Bake): void {
    if (this.runs.some((run) => run.bake.id === bake.id)) {
      this.pause(bake.id, false);
      return;
    }
    const run = new BakeRun(bake, this.ports.sequences);
    this.runs.push(run);
    run.begin().then(
      () => this.ports.onChange(),
      (error: Error) => {
        this.drop(run);
        this.notice(`The bake cannot begin: ${error.message}.`);
      },
    );
  }

  pause(id: string, paused: boolean): void {
    const run = this.runs.find(({ bake }) => bake.id === id);
    if (!run) return;
    run.paused = paused;
    if (paused) this.stopJobs(run);
  }

  /** What is stored stays, as a part. */
  stop(id: string): void {
    const run = this.runs.find(({ bake }) => bake.id === id);
    if (!run) return;
    run.paused = true;
    this.stopJobs(run);
    this.drop(run);
  }

  /** Another document is open. */
  stopAll(): void {
    for (const { bake } of [...this.runs]) this.stop(bake.id);
  }

  /** Gives the free workers frames of the first bake that is not paused. */
  step(document: Document): void {
    const { jobs, pool } = this.ports;
    const run = this.runs.find(({ paused }) => !paused);
    if (!run) return;
    while (pool.freeSlots > 0) {
      const job = jobs.newId();
      const frame = run.next(job, document);
      if (frame === undefined) break;
      const { id, target, fraction, renderer, depth, sequence, range, packed } = run.bake;
      jobs.add({ kind: "bake", bake: id }, job);
      pool.bake(job, { target, fraction, renderer, depth, sequence, frame, number: frame - range.in, packed });
    }
    if (run.isStored(document)) void this.complete(run);
  }

  /** What became of a picture; nothing is done for a bake that was stopped. */
  end(outcome: RenderOutcome): void {
    const run = this.runs.find((one) => one.owns(outcome.job));
    if (!run) return;
    run.end(outcome.job, outcome.kind === "baked" ? outcome.key : undefined);
    if (outcome.kind === "failed" && !run.paused) {
      run.paused = true;
      this.stopJobs(run);
      this.notice(`The bake rests: ${outcome.reason}`);
    }
  }

  private async complete(run: BakeRun): Promise<void> {
    try {
      const bake = await run.complete();
      this.drop(run);
      this.ports.emit({ kind: "baked", bake });
    } catch (error) {
      this.notice(
        `The bake is not complete yet: ${(error as Error).message}. Go on, and what is missing is made again.`,
      );
    }
    this.ports.onChange();
  }

  private stopJobs({ bake }: BakeRun): void {
    this.ports.jobs.stopWhere((job) => job.kind === "bake" && job.bake === bake.id);
  }

  private drop(run: BakeRun): void {
    this.runs = this.runs.filter((one) => one !== run);
    this.ports.onChange();
  }

  private notice(text: string): void {
    this.ports.emit({ kind: "notice", text });
  }
}
