import type { Bytes, DecodeDevice, GraphicsChoice, Milliseconds } from "@kinetocache/core";
import * as Comlink from "comlink";
import { reasonOf } from "./helper";
import type { MediaPlaces } from "./media/mediaBytes";
import type { BakeTask, FrameRenderer, RenderOutcome, RenderTask, Scene } from "./protocol/rendering";
import type { RenderResources } from "./resources";

export type Rendered = Extract<RenderOutcome, { kind: "rendered" }>;

/** A renderer that was started. */
interface StartedRenderer {
  readonly renderer: FrameRenderer;
  end(): void;
}

/** @param onEnd is told why it ended by itself */
export type StartRenderer = (onEnd: (reason: string) => void) => StartedRenderer;

/** A renderer in a worker of its own. */
export function inWorker(startWorker: () => Worker): StartRenderer {
  return (onEnd) => {
    const worker = startWorker();
    worker.onerror = (event) => {
      // Or it would end the engine, too.
      event.preventDefault();
      onEnd(reasonOf(event));
    };
    return { renderer: Comlink.wrap<FrameRenderer>(worker), end: () => worker.terminate() };
  };
}

/** Something for a renderer to do. */
type Work = (renderer: FrameRenderer) => Promise<RenderOutcome>;

const MOST_WORKERS = 64;
// A worker that ended is replaced after so long; after twice as long when the one before did nothing either.
const FIRST_REST_MS: Milliseconds = 100;
const LONGEST_REST_MS: Milliseconds = 10_000;

/** A place for a render worker, one frame at a time. A worker that ends is replaced, and what it had to do has failed. */
class Member {
  private started: StartedRenderer | undefined;
  private timer: ReturnType<typeof setTimeout> | undefined;
  /** What it may keep of its memory once it has ended what it is at. */
  private mostBytes: Bytes | undefined;
  /** Workers that ended one after the other without having rendered anything. */
  private failures = 0;
  /** What came while there was no worker. */
  private waiting: Work | undefined;
  job: number | undefined;
  memoryBytes: Bytes = 0;

  constructor(
    readonly slot: number,
    private readonly startRenderer: StartRenderer,
    /** Tells a worker that was started all that it needs. */
    private readonly greet: (renderer: FrameRenderer) => void,
    private readonly onOutcome: (outcome: RenderOutcome) => void,
  ) {
    this.start();
  }

  /** What it is told is kept by whoever greets the next worker. */
  tell(say: (renderer: FrameRenderer) => unknown): void {
    if (this.started) tell(this.started.renderer, say);
  }

  give(job: number, work: Work): void {
    this.job = job;
    if (this.started) this.begin(this.started, work);
    else this.waiting = work;
  }

  /** Memory of WebAssembly never shrinks: a worker that has more than this makes place for another one, once. */
  fit(mostBytes: Bytes): void {
    this.mostBytes = mostBytes;
    if (this.job === undefined) this.fitNow();
  }

  private fitNow(): void {
    const isTooMuch = this.mostBytes !== undefined && this.memoryBytes > this.mostBytes;
    this.mostBytes = undefined;
    if (!isTooMuch || !this.started) return;
    this.started.end();
    this.memoryBytes = 0;
    this.start();
  }

  close(): void {
    clearTimeout(this.timer);
    this.started?.end();
    this.started = undefined;
    const { job } = this;
    this.job = undefined;
    if (job !== undefined) this.onOutcome({ kind: "cancelled", job, lent: [] });
  }

  private start(): void {
    const started = this.startRenderer((reason) => {
      if (started === this.started) this.lose(reason);
    });
    this.started = started;
    this.greet(started.renderer);
    const { waiting } = this;
    this.waiting = undefined;
    if (waiting) this.begin(started, waiting);
  }

  private begin(started: StartedRenderer, work: Work): void {
    void work(started.renderer).then(
      (outcome) => {
        if (started === this.started) this.take(outcome);
      },
      (error: unknown) => {
        if (started === this.started) this.lose(error instanceof Error ? error.message : String(error));
      },
    );
  }

  private take(outcome: RenderOutcome): void {
    this.job = undefined;
    if (outcome.kind === "rendered") this.memoryBytes = outcome.memoryBytes;
    if (outcome.kind === "failed" && outcome.ended) this.replace();
    else if (outcome.kind !== "failed") this.failures = 0;
    this.fitNow();
    this.onOutcome(outcome);
  }

  private lose(why: string): void {
    const { job } = this;
    this.job = undefined;
    this.replace();
    const reason = `A render worker stopped: ${why}`;
    if (job !== undefined) this.onOutcome({ kind: "failed", job, reason, ended: true, lent: [] });
  }

  private replace(): void {
    this.started?.end();
    this.started = undefined;
    this.memoryBytes = 0;
    const restMs = Math.min(LONGEST_REST_MS, FIRST_REST_MS * 2 ** this.failures++);
    this.timer = setTimeout(() => this.start(), restMs);
  }
}

/** A renderer that could not start says so with each frame, and need not say it here. */
function tell(renderer: FrameRenderer, say: (renderer: FrameRenderer) => unknown): void {
  void Promise.resolve(say(renderer)).catch(() => undefined);
}

/** Render workers, one frame each at a time. */
export class RenderPool {
  private members: Member[] = [];
  private scene: Scene | undefined;
  private graphics: GraphicsChoice | undefined;
  private decoding: DecodeDevice = "processor";
  private places: MediaPlaces = {};
  private resources: Promise<RenderResources> | undefined;
  private readonly cancel = new Int32Array(new SharedArrayBuffer(4 * MOST_WORKERS)).fill(-1);

  /** @param loadResources workers start without them, and wait with their first frame */
  constructor(
    private readonly startRenderer: StartRenderer,
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
    this.tell((renderer) => renderer.setScene(scene));
  }

  /** What decodes clips, from the next frame on. */
  setDecoding(on: DecodeDevice): void {
    if (on === this.decoding) return;
    this.decoding = on;
    this.tell((renderer) => renderer.setDecoding(on));
  }

  /** Where the files of clips lie, from the next frame on. */
  setPlaces(places: MediaPlaces): void {
    this.places = places;
    this.tell((renderer) => renderer.setPlaces(places));
  }

  /** The device for frames of the graphics renderer, from the next one on. */
  setGraphics(choice: GraphicsChoice): void {
    if (choice === this.graphics) return;
    this.graphics = choice;
    this.tell((renderer) => renderer.setGraphics(choice));
  }

  /** @throws Error when no worker is free */
  render(job: number, task: RenderTask): void {
    const lent = task.branches?.held.map(({ pixels }) => pixels.buffer) ?? [];
    this.start(job, (renderer) => renderer.render(job, Comlink.transfer(task, lent)));
  }

  /** @throws Error when no worker is free */
  bake(job: number, task: BakeTask): void {
    this.start(job, (renderer) => renderer.bake(job, task));
  }

  /** Asks a job to stop, which it does within milliseconds. */
  stop(job: number): void {
    const member = this.members.find((candidate) => candidate.job === job);
    if (member) Atomics.store(this.cancel, member.slot, job);
  }

  private tell(say: (renderer: FrameRenderer) => unknown): void {
    for (const member of this.members) member.tell(say);
  }

  private start(job: number, work: Work): void {
    const member = this.members.find((candidate) => candidate.job === undefined);
    if (!member) throw new Error("All render workers are busy");
    member.give(job, work);
  }

  private newMember(slot: number): Member {
    return new Member(slot, this.startRenderer, (renderer) => this.greet(renderer, slot), this.onOutcome);
  }

  private greet(renderer: FrameRenderer, slot: number): void {
    const { cancel, scene, graphics, decoding, places } = this;
    this.resources ??= this.loadResources();
    this.resources.then(
      (resources) => tell(renderer, () => renderer.init({ ...resources, cancel, slot })),
      (error: unknown) => {
        // They are loaded anew for the worker that takes its place.
        this.resources = undefined;
        tell(renderer, () => renderer.giveUp(error instanceof Error ? error.message : String(error)));
      },
    );
    tell(renderer, () => renderer.setDecoding(decoding));
    tell(renderer, () => renderer.setPlaces(places));
    if (graphics) tell(renderer, () => renderer.setGraphics(graphics));
    if (scene) tell(renderer, () => renderer.setScene(scene));
  }
}
