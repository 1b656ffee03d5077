import type { Desks } from "./desks";
import type { EngineJob, PictureJob } from "./jobTable";
import { releasePixels } from "./pixels";
import type { RenderOutcome } from "./protocol/rendering";

type OutcomeOf<Kind extends RenderOutcome["kind"]> = Extract<RenderOutcome, { readonly kind: Kind }>;

/** Hands what became of a job to whoever began it. */
export class Outcomes {
  constructor(private readonly engine: Desks) {}

  /** @param job undefined where nobody waits for it any more */
  take(job: EngineJob | undefined, outcome: RenderOutcome): void {
    this.engine.admission.takeBack(job, outcome);
    if (!job) {
      if (outcome.kind === "rendered") releasePixels(outcome.pixels);
      return;
    }
    switch (job.kind) {
      case "trial":
        return this.engine.trials.end(outcome);
      case "bake":
        return this.engine.bakery.end(outcome);
      case "calibration":
      case "warm-up":
        return this.ofPreparation(job.kind, outcome);
      default:
        return this.ofPicture(job, outcome);
    }
  }

  /** A frame that fails here is tried again when it is wanted, and that is said then. */
  private ofPreparation(kind: "calibration" | "warm-up", outcome: RenderOutcome): void {
    const { book, calibration, contention, jobs, staging, warmUp } = this.engine;
    const teaches = kind === "calibration" || warmUp.teaches;
    if (outcome.kind === "noGraphics") staging.fallBack(outcome);
    if (outcome.kind === "failed" && outcome.lost) staging.loseMedia(outcome.lost);
    if (outcome.kind === "rendered") {
      releasePixels(outcome.pixels);
      const { renderer, costs, warm, jumped } = outcome;
      if (teaches && warm && !jumped) book.learnNodes(renderer, costs, contention.share);
    }
    const isDone = kind === "calibration" ? calibration.isDone : warmUp.isDone && jobs.count(kind) === 0;
    if (teaches && isDone) staging.estimateAgain();
  }

  private ofPicture(job: PictureJob, outcome: RenderOutcome): void {
    switch (outcome.kind) {
      case "rendered":
        if (job.kind === "frame") this.engine.admission.rendered(job, outcome);
        return;
      case "branch":
        if (job.kind === "branch") this.engine.admission.branch(job, outcome);
        return;
      case "unreadable":
        return this.playLive(job, outcome);
      case "noGraphics":
        return this.endWithoutGraphics(job, outcome);
      case "failed":
        return outcome.lost ? this.engine.staging.loseMedia(outcome.lost) : this.fail(job, outcome.reason);
    }
  }

  private fail(job: PictureJob, reason: string): void {
    const { emit, stage } = this.engine;
    if (job.kind === "branch") stage.lanes?.refuse(job.layer, job.frame);
    else job.timeline.failed.add(job.frame);
    emit({ kind: "notice", text: `Frame ${job.frame} could not be rendered: ${reason}` });
  }

  /** A baked picture cannot be read: the live branch is played there, and it is said. */
  private playLive(job: PictureJob, { stored, reason, all }: OutcomeOf<"unreadable">): void {
    const { disk, emit, stage, staging } = this.engine;
    if (stage.bakesOf(stored).length === 0) {
      this.fail(job, reason);
      return;
    }
    const isFirst = stage.noteUnreadable(stored, all);
    if (isFirst === undefined) return;
    if (isFirst)
      emit({ kind: "notice", text: `A baked frame is not played, the live layer is shown instead: ${reason}` });
    if (all) void disk.refresh();
    staging.rebuild();
  }

  private endWithoutGraphics(job: PictureJob, fault: OutcomeOf<"noGraphics">): void {
    const { stage, staging } = this.engine;
    // It was asked for before the processor took over.
    if (job.timeline.settings.renderer !== stage.timeline?.settings.renderer) return;
    if (job.purpose === "sharpen" && !fault.lost) staging.sharpenOnProcessor();
    else staging.fallBack(fault);
  }
}
