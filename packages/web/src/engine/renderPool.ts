import type { Bytes, DecodeDevice, GraphicsChoice, Milliseconds } from "@kinetocache/core";
import { reasonOf } from "./helper";
import type { BakeTask, RenderOutcome, RenderRequest, RenderTask } from "./protocol";
import type { RenderResources } from "./resources";

export type Rendered = Extract<RenderOutcome, { kind: "rendered" }>;

/** The document, and what stands in for its branches. */
export type Scene = Omit<Extract<RenderRequest, { kind: "document" }>, "kind">;

const MOST_WORKERS = 64;
// A worker that ended is replaced after so long; after twice as long when the one before did nothing either.
const FIRST_REST_MS: Milliseconds = 100;
const LONGEST_REST_MS: Milliseconds = 10_000;

/** A place for a render worker, one frame at a time. A worker that ends is replaced, and what it had to do has failed. */
class Member {
  private worker: Worker | undefined;
  private timer: ReturnType<typeof setTimeout> | undefined;
  /** What it may keep of its memory once it has ended what it is at. */
  private mostBytes: Bytes | undefined;
  /** Workers that ended one after the other without having rendered anything. */
  private failures = 0;
  /** What came while there was no worker. */
  private waiting: readonly [RenderRequest, Transferable[]] | undefined;
  job: number | undefined;
  memoryBytes: Bytes = 0;

  constructor(
    readonly slot: number,
    private readonly startWorker: () => Worker,
    /** Tells a worker that was started all that it needs. */
    private readonly greet: (worker: Worker) => void,
    private readonly onOutcome: (outcome: RenderOutcome) => void,
  ) {
    this.start();
  }

  /** What it is told is kept by whoever greets the next worker. */
  tell(request: RenderRequest): void {
    this.worker?.postMessage(request);
  }

  give(request: RenderRequest & { readonly job: number }, transfer: Transferable[]): void {
    this.job = request.job;
    if (this.worker) this.worker.postMessage(request, transfer);
    else this.waiting = [request, transfer];
  }

  /** Memory of WebAssembly never shrinks: a worker that has more than this makes place for another one, once. */
  fit(mostBytes: Bytes): void {
    this.mostBytes = mostBytes;
    if (this.job === undefined) this.fitNow();
  }

  private fitNow(): void {
    const isTooMuch = this.mostBytes !== undefined && this.memoryBytes > this.mostBytes;
    this.mostBytes = undefined;
    if (!isTooMuch || !this.worker) return;
    this.worker.terminate();
    this.memoryBytes = 0;
    this.start();
  }

  close(): void {
    clearTimeout(this.timer);
    this.worker?.terminate();
    this.worker = undefined;
    const { job } = this;
    this.job = undefined;
    if (job !== undefined) this.onOutcome({ kind: "cancelled", job, lent: [] });
  }

  private start(): void {
    const worker = this.startWorker();
    this.worker = worker;
    worker.onmessage = ({ data: outcome }: MessageEvent<RenderOutcome>) => {
      if (worker !== this.worker) return;
      this.job = undefined;
      if (outcome.kind === "rendered") this.memoryBytes = outcome.memoryBytes;
      if (outcome.kind === "failed" && outcome.ended) this.replace();
      else if (outcome.kind !== "failed") this.failures = 0;
      this.fitNow();
      this.onOutcome(outcome);
    };
    worker.onerror = (event) => {
      // Or it would end the engine, too.
      event.preventDefault();
      if (worker !== this.worker) return;
      const { job } = this;
      this.job = undefined;
      this.replace();
      const reason = `A render worker stopped: ${reasonOf(event)}`;
      if (job !== undefined) this.onOutcome({ kind: "failed", job, reason, ended: true, lent: [] });
    };
    this.greet(worker);
    const { waiting } = this;
    this.waiting = undefined;
    if (waiting) worker.postMessage(...waiting);
  }

  private replace(): void {
    this.worker?.terminate();
    this.worker = undefined;
    this.memoryBytes = 0;
    const restMs = Math.min(LONGEST_REST_MS, FIRST_REST_MS * 2 ** this.failures++);
    this.timer = setTimeout(() => this.start(), restMs);
  }
}

/** Render workers, one frame each at a time. */
export class RenderPool {
  private members: Member[] = [];
  private scene: Scene | undefined;
  private graphics: GraphicsChoice | undefined;
  private decoding: DecodeDevice = "processor";
  private resources: Promise<RenderResources> | undefined;
  private readonly cancel = new Int32Array(new SharedArrayBuffer(4 * MOST_WORKERS)).fill(-1);

  /** @param loadResources workers start without them, and wait with their first frame */
  constructor(
    private readonly startWorker: () => Worker,
    private readonly loadResources: () => Promise<RenderResources>,
    private readonly onOutcome: (outcome: RenderOutcome) => void,
  ) {}

  get size(): number {
    return this.members.length;
  }

  get freeSlots(): number {
    return this.members.filter((member) => member.job === undefined).length;
  }

  /** Linear memory of all workers. */
  get memoryBytes(): Bytes {
    return this.members.reduce((sum, member) => sum + member.memoryBytes, 0);
  }

  /** Starts or stops workers; a job on a stopped worker counts as cancelled. */
  resize(count: number): void {
    const wanted = Math.max(1, Math.min(MOST_WORKERS, count));
    while (this.members.length < wanted) this.members.push(this.newMember(this.members.length));
    this.members.splice(wanted).forEach((member) => member.close());
  }

  /** Gives back what workers have beyond this, each. */
  fit(mostBytes: Bytes): void {
    for (const member of this.members) member.fit(mostBytes);
  }

  /** What is rendered from the next frame on. */
  setScene(scene: Scene): void {
    this.scene = scene;
    this.tell({ kind: "document", ...scene });
  }

  /** What decodes clips, from the next frame on. */
  setDecoding(on: DecodeDevice): void {
    if (on === this.decoding) return;
    this.decoding = on;
    this.tell({ kind: "decoding", on });
  }

  /** The device for frames of the graphics renderer, from the next one on. */
  setGraphics(choice: GraphicsChoice): void {
    if (choice === this.graphics) return;
    this.graphics = choice;
    this.tell({ kind: "graphics", choice });
  }

  /** @throws Error when no worker is free */
  render(job: number, task: RenderTask): void {
    const lent = task.branches?.held.map(({ pixels }) => pixels.buffer) ?? [];
    this.start({ kind: "render", job, ...task }, lent);
  }

  /** @throws Error when no worker is free */
  bake(job: number, bake: BakeTask): void {
    this.start({ kind: "bake", job, bake });
  }

  /** Asks a job to stop, which it does within milliseconds. */
  stop(job: number): void {
    const member = this.members.find((candidate) => candidate.job === job);
    if (member) Atomics.store(this.cancel, member.slot, job);
  }

  private tell(request: RenderRequest): void {
    for (const member of this.members) member.tell(request);
  }

  private start(request: RenderRequest & { readonly job: number }, transfer: Transferable[] = []): void {
    const member = this.members.find((candidate) => candidate.job === undefined);
    if (!member) throw new Error("All render workers are busy");
    member.give(request, transfer);
  }

  private newMember(slot: number): Member {
    return new Member(slot, this.startWorker, (worker) => this.greet(worker, slot), this.onOutcome);
  }

  private greet(worker: Worker, slot: number): void {
    const post = (request: RenderRequest) => worker.postMessage(request);
    const { cancel } = this;
    this.resources ??= this.loadResources();
    this.resources.then(
      (resources) => post({ kind: "init", ...resources, cancel, slot }),
      (error: unknown) => {
        // They are loaded anew for the worker that takes its place.
        this.resources = undefined;
        post({ kind: "unable", reason: error instanceof Error ? error.message : String(error) });
      },
    );
    post({ kind: "decoding", on: this.decoding });
    if (this.graphics) post({ kind: "graphics", choice: this.graphics });
    if (this.scene) post({ kind: "document", ...this.scene });
  }
}
