import type { ContentKey, Job, Milliseconds } from "@kinetocache/core";
import type { HeldBranch } from "./heldFrames";
import type { PreviewTimeline } from "./previewTimeline";

/** Something that a render worker or the disk is at. */
export interface EngineJob extends Job {
  readonly key: ContentKey;
  readonly keep: "memory" | "disk";
  /** The timeline it was started for; another may be in force when it ends. */
  readonly timeline: PreviewTimeline;
  /** Branches that were lent for it. */
  readonly taken: readonly HeldBranch[];
  /** Asked to stop; its result is still used when it arrives and fits. */
  stopping: boolean;
}

type NewJob = Omit<EngineJob, "id" | "startedMs" | "stopping" | "taken"> & Partial<Pick<EngineJob, "taken">>;

/** The jobs that are under way. */
export class JobTable {
  private readonly jobs = new Map<number, EngineJob>();
  private nextId = 0;

  /** @param stopWork asks a render worker to give a job up */
  constructor(private readonly stopWork: (job: number) => void) {}

  get size(): number {
    return this.jobs.size;
  }

  all(): EngineJob[] {
    return [...this.jobs.values()];
  }

  get(id: number): EngineJob | undefined {
    return this.jobs.get(id);
  }

  /** A number that no other job has: also for work that is not in the table. */
  newId(): number {
    return this.nextId++;
  }

  add(job: NewJob, id = this.newId()): EngineJob {
    const added = { taken: [], ...job, id, startedMs: performance.now() as Milliseconds, stopping: false };
    this.jobs.set(id, added);
    return added;
  }

  /** Takes a job that is over off the table. */
  end(id: number): EngineJob | undefined {
    const job = this.jobs.get(id);
    this.jobs.delete(id);
    return job;
  }

  /** Whether something is made or fetched under a key. */
  isUnderWay(key: ContentKey): boolean {
    for (const job of this.jobs.values()) if (job.key === key) return true;
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
}
