import type { Bytes, DecodeDevice, GraphicsChoice } from "@kinetocache/core";
import type { BakeTask, RenderOutcome, RenderRequest, RenderTask } from "./protocol";
import type { RenderResources } from "./resources";

export type Rendered = Extract<RenderOutcome, { kind: "rendered" }>;

/** The document, and what stands in for its branches. */
export type Scene = Omit<Extract<RenderRequest, { kind: "document" }>, "kind">;

interface Member {
  readonly worker: Worker;
  readonly slot: number;
  job: number | undefined;
  memoryBytes: Bytes;
}

const MOST_WORKERS = 64;

/** Render workers, one frame each at a time. */
export class RenderPool {
  private members: Member[] = [];
  private scene: Scene | undefined;
  private graphics: GraphicsChoice | undefined;
  private decoding: DecodeDevice = "processor";
  private readonly cancel = new Int32Array(new SharedArrayBuffer(4 * MOST_WORKERS)).fill(-1);

  /** @param resources workers start without them, and wait with their first frame */
  constructor(
    private readonly resources: Promise<RenderResources>,
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
    while (this.members.length < wanted) this.members.push(this.startMember(this.members.length));
    for (const member of this.members.splice(wanted)) {
      member.worker.terminate();
      if (member.job !== undefined) this.onOutcome({ kind: "cancelled", job: member.job, lent: [] });
    }
  }

  /** What is rendered from the next frame on. */
  setScene(scene: Scene): void {
    this.scene = scene;
    for (const { worker } of this.members) post(worker, { kind: "document", ...scene });
  }

  /** What decodes clips, from the next frame on. */
  setDecoding(on: DecodeDevice): void {
    if (on === this.decoding) return;
    this.decoding = on;
    for (const { worker } of this.members) post(worker, { kind: "decoding", on });
  }

  /** The device for frames of the graphics renderer, from the next one on. */
  setGraphics(choice: GraphicsChoice): void {
    if (choice === this.graphics) return;
    this.graphics = choice;
    for (const { worker } of this.members) post(worker, { kind: "graphics", choice });
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

  private start(request: RenderRequest & { readonly job: number }, transfer: Transferable[] = []): void {
    const member = this.members.find((candidate) => candidate.job === undefined);
    if (!member) throw new Error("All render workers are busy");
    member.job = request.job;
    post(member.worker, request, transfer);
  }

  /** Asks a job to stop, which it does within milliseconds. */
  stop(job: number): void {
    const member = this.members.find((candidate) => candidate.job === job);
    if (member) Atomics.store(this.cancel, member.slot, job);
  }

  private startMember(slot: number): Member {
    const worker = new Worker(new URL("./render.worker.ts", import.meta.url), { type: "module" });
    const member: Member = { worker, slot, job: undefined, memoryBytes: 0 };
    worker.onmessage = ({ data: reply }: MessageEvent<RenderOutcome>) => {
      member.job = undefined;
      if (reply.kind === "rendered") member.memoryBytes = reply.memoryBytes;
      this.onOutcome(reply);
    };
    worker.onerror = ({ message }) => {
      const { job } = member;
      member.job = undefined;
      if (job !== undefined)
        this.onOutcome({ kind: "failed", job, reason: `A render worker stopped: ${message}`, lent: [] });
    };
    void this.resources.then(
      (resources) => post(worker, { kind: "init", ...resources, cancel: this.cancel, slot }),
      (error: unknown) => post(worker, { kind: "unable", reason: String(error) }),
    );
    post(worker, { kind: "decoding", on: this.decoding });
    if (this.graphics) post(worker, { kind: "graphics", choice: this.graphics });
    if (this.scene) post(worker, { kind: "document", ...this.scene });
    return member;
  }
}

function post(worker: Worker, request: RenderRequest, transfer: Transferable[] = []): void {
  worker.postMessage(request, transfer);
}
