import { EventEmitter, once } from "node:events";
import { Problem } from "../http/problem";

export type JobState = "running" | "paused" | "done" | "cancelled" | "failed";

/** Long work as the screens see it. */
export interface JobStatus {
  readonly id: string;
  readonly title: string;
  readonly state: JobState;
  /** Share that is done, 0 to 1. */
  readonly progress: number;
  /** How far it is, or why it ended, in words. */
  readonly detail: string;
  /** Whether its end need not be told: what it was for is seen where it was asked for. */
  readonly isQuiet?: boolean;
}

function isUnderWay({ state }: JobStatus): boolean {
  return state === "running" || state === "paused";
}

interface Job {
  status: JobStatus;
  readonly cancel: AbortController;
  readonly changes: EventEmitter;
}

/** What work gets from its job. */
export interface JobControl {
  /** Waits while the job is paused. @throws Cancelled when it was cancelled */
  readonly gate: () => Promise<void>;
  readonly isPaused: () => boolean;
  /** Aborted once it is cancelled, with what `gate` throws as its reason. */
  readonly signal: AbortSignal;
  readonly report: (progress: number, detail: string) => void;
}

/** A job was cancelled; what it did so far stays. */
class Cancelled extends Error {}

// Jobs that ended are listed for the screens that come later; only the last ones are of interest.
const MOST_ENDED = 20;

/** Long work on the server: it goes on when the page that asked for it is gone. */
export class Jobs {
  private readonly jobs = new Map<string, Job>();
  private readonly events = new EventEmitter().setMaxListeners(0);

  list(): JobStatus[] {
    return [...this.jobs.values()].map(({ status }) => status);
  }

  /** @returns a function that ends the subscription */
  subscribe(listener: () => void): () => void {
    this.events.on("change", listener);
    return () => this.events.off("change", listener);
  }

  /**
   * Starts work as a job.
   * @param work returns what to say at the end @param isQuiet whether its end need not be told
   * @returns the job's id, and a promise of how it ended that never rejects
   */
  start(
    title: string,
    work: (control: JobControl) => Promise<string>,
    isQuiet = false,
  ): { id: string; ended: Promise<JobState> } {
    const id = crypto.randomUUID();
    const status: JobStatus = { id, title, state: "running", progress: 0, detail: "", ...(isQuiet ? { isQuiet } : {}) };
    const job: Job = { status, cancel: new AbortController(), changes: new EventEmitter() };
    const { signal } = job.cancel;
    this.jobs.set(id, job);
    const control: JobControl = {
      gate: async () => {
        while (job.status.state === "paused" && !signal.aborted) await once(job.changes, "change");
        signal.throwIfAborted();
      },
      isPaused: () => job.status.state === "paused",
      signal,
      report: (progress, detail) => this.update(job, { progress, detail }),
    };
    return { id, ended: this.run(job, control, work) };
  }

  /**
   * Does work as a job that somebody waits for, and ends it when they leave.
   * @param left aborted when they do @throws what the work throws; Problem 409 when it was cancelled
   */
  async answer<T>(title: string, work: (control: JobControl) => Promise<T>, left: AbortSignal): Promise<T> {
    let outcome: { readonly value: T } | { readonly error: unknown } | undefined;
    const act = async (control: JobControl) => {
      try {
        if (left.aborted) throw new Cancelled();
        outcome = { value: await work(control) };
      } catch (error) {
        outcome = { error };
        throw error;
      }
      return "";
    };
    const { id, ended } = this.start(title, act, true);
    const leave = () => cancel(this.jobs.get(id)!);
    left.addEventListener("abort", leave);
    const state = await ended;
    left.removeEventListener("abort", leave);
    if (state === "cancelled") throw new Problem(409, "cancelled", `${title}: it was cancelled`);
    if ("error" in outcome!) throw outcome.error;
    return outcome!.value;
  }

  private async run(job: Job, control: JobControl, work: (control: JobControl) => Promise<string>): Promise<JobState> {
    try {
      this.update(job, { progress: 1, detail: await work(control), state: "done" });
    } catch (error) {
      // What it waited for says in its own way that it was ended.
      if (error instanceof Cancelled || job.cancel.signal.aborted) this.update(job, { state: "cancelled" });
      else {
        this.update(job, { detail: error instanceof Error ? error.message : String(error), state: "failed" });
        if (!(error instanceof Problem)) console.error(`${job.status.title}:`, error);
      }
    }
    this.dropOld();
    return job.status.state;
  }

  /** @throws Problem 404, 409 when it has ended */
  steer(id: string, wish: "pause" | "resume" | "cancel"): void {
    const job = this.jobs.get(id);
    if (!job) throw new Problem(404, "no-job", `There is no job ${id}`);
    if (!isUnderWay(job.status)) throw new Problem(409, "ended", "This job has ended already");
    if (wish === "cancel") cancel(job);
    else this.update(job, { state: wish === "pause" ? "paused" : "running" });
  }

  /** Ends all of them with the piece of work that is under way, those that are paused too. */
  cancelAll(): void {
    for (const job of this.jobs.values()) cancel(job);
  }

  private update(job: Job, change: Partial<JobStatus>): void {
    job.status = { ...job.status, ...change };
    job.changes.emit("change");
    this.events.emit("change");
  }

  private dropOld(): void {
    const ended = [...this.jobs].filter(([, { status }]) => !isUnderWay(status));
    for (const [id] of ended.slice(0, Math.max(0, ended.length - MOST_ENDED))) this.jobs.delete(id);
  }
}

/** It ends with the piece of work that is under way, and is not over before. */
function cancel({ cancel: ending, changes }: Job): void {
  ending.abort(new Cancelled());
  changes.emit("change");
}
