import type { ContentKey, FrameNumber, Job, Milliseconds, Purpose } from "@kinetocache/core";
import type { HeldBranch } from "./heldFrames";
import type { PreviewTimeline } from "./previewTimeline";

interface OfFrame {
  readonly frame: FrameNumber;
  readonly purpose: Purpose;
  readonly keep: "memory" | "disk";
  readonly key: ContentKey;
  /** The timeline it was started for; another may be in force when it ends. */
  readonly timeline: PreviewTimeline;
}

/** What a render worker or the disk can be at. */
export type Work =
  /** A frame, with the branches that were lent for it. */
  | ({ readonly kind: "frame"; readonly taken: readonly HeldBranch[] } & OfFrame)
  /** A layer's finished pixels. */
  | ({ readonly kind: "branch"; readonly layer: string } & OfFrame)
  | ({ readonly kind: "fetch" } & OfFrame)
  | { readonly kind: "bake"; readonly bake: string }
  | { readonly kind: "trial" }
  | { readonly kind: "calibration" }
  | { readonly kind: "warm-up" };

interface UnderWay {
  readonly id: number;
  readonly startedMs: Milliseconds;
  /** Asked to stop; its result is still used when it arrives and fits. */
  stopping: boolean;
}

export type JobOf<Kind extends Work["kind"]> = Extract<Work, { readonly kind: Kind }> & UnderWay;
export type EngineJob = Work & UnderWay;
export type PictureJob = JobOf<"frame" | "branch" | "fetch">;

/** All work that is under way. */
export class JobTable {
  private readonly jobs = new Map<number, EngineJob>();
  private nextId = 0;

  /** @param stopWork asks a render worker to give a job up */
  constructor(private readonly stopWork: (job: number) => void) {}

  get size(): number {
    return this.jobs.size;
  }

  get(id: number): EngineJob | undefined {
    return this.jobs.get(id);
  }

  /** How many there are of a kind. */
  count(kind: Work["kind"]): number {
    let count = 0;
    for (const job of this.jobs.values()) count += Number(job.kind === kind);
    return count;
  }

  /** Pictures that are made or fetched for a purpose. */
  for(purpose: Purpose): PictureJob[] {
    return [...this.jobs.values()].filter((job) => isOfFrame(job)).filter((job) => job.purpose === purpose);
  }

  /** A number that no other job has, for work that is added once it is known that there is any. */
  newId(): number {
    return this.nextId++;
  }

  add<Kind extends Work["kind"]>(work: Extract<Work, { readonly kind: Kind }>, id = this.newId()): JobOf<Kind> {
    const job = { ...work, id, startedMs: performance.now(), stopping: false } as JobOf<Kind>;
    this.jobs.set(id, job);
    return job;
  }

  /** Takes a job that is over off the table. */
  end(id: number): EngineJob | undefined {
    const job = this.jobs.get(id);
    this.jobs.delete(id);
    return job;
  }

  /** Whether something is made or fetched under a key. */
  isUnderWay(key: ContentKey): boolean {
    for (const job of this.jobs.values()) if (isOfFrame(job) && job.key === key) return true;
    return false;
  }

  /** Whether it is, by work that was not asked to stop. */
  isExpected(key: ContentKey): boolean {
    for (const job of this.jobs.values()) if (isOfFrame(job) && job.key === key && !job.stopping) return true;
    return false;
  }

  /** What is fetched is not stopped: it is there in a moment. */
  stop(job: EngineJob): void {
    if (job.stopping || job.kind === "fetch") return;
    job.stopping = true;
    this.stopWork(job.id);
  }

  stopWhere(which: (job: EngineJob) => boolean): void {
    for (const job of this.jobs.values()) if (which(job)) this.stop(job);
  }

  stopAll(kind?: Work["kind"]): void {
    this.stopWhere((job) => kind === undefined || job.kind === kind);
  }

  /** What the scheduler knows of them. */
  plain(): Job[] {
    return [...this.jobs.values()].map((job) => {
      const { id } = job;
      if (!isOfFrame(job)) return { id, kind: job.kind === "bake" ? "bake" : "trial" };
      const { frame, purpose, startedMs } = job;
      const kind = job.kind === "fetch" ? "fetch" : "render";
      return { id, kind, frame, purpose, startedMs, ...(job.kind === "branch" ? { layer: job.layer } : {}) };
    });
  }
}

export function isOfFrame(job: EngineJob): job is PictureJob {
  return job.kind === "frame" || job.kind === "branch" || job.kind === "fetch";
}
