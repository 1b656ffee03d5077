import type { Bytes, ContentKey, Milliseconds, Packing } from "@kinetocache/core";
import type { Failure, FetchedPicture, FrameStorage, HeldPicture, Listing, Target } from "./frameStorage";
import { Rate } from "./rate";

/** Whether frames can be written now. */
export type DiskState =
  | { readonly kind: "ready" }
  | { readonly kind: "unreachable" }
  /** Nothing more is taken: the cap is reached, the drive is full, read-only or gone. */
  | { readonly kind: "refused"; readonly detail: string };

/** What is to be said of a tier on disk, which differs with where it is. */
export interface DiskWords {
  readonly unreachable: string;
  readonly back: string;
}

/** By location, the form that automatic packing keeps there since both were measured with the frames at hand. */
export type MeasuredForms = Readonly<Record<string, Packing>>;

/** A frame that waits to be written. */
export interface Waiting {
  readonly key: ContentKey;
  readonly owner: string;
  readonly costMs: Milliseconds;
  /** Location that it goes to. */
  readonly location: string;
  /** The pixels, or undefined when memory has let them go meanwhile. */
  readonly picture: () => HeldPicture | undefined;
  /** Called once it is written or given up. */
  readonly settled: () => void;
}

export interface DiskListener {
  readonly onKeys: (keys: readonly ContentKey[], held: boolean) => void;
  /** What rendering the frames on disk took when they were stored. */
  readonly onCosts: (costs: readonly (readonly [ContentKey, Milliseconds])[]) => void;
  readonly onChange: () => void;
  readonly notice: (text: string) => void;
}

// A guess until the first frame was read; a frame of a few megabytes takes about this long over loopback.
const FIRST_FETCH_MS = 30;
const RETRY_MS = 5000;
// Codes that say that no frame is taken, not only this one.
const REFUSES_FRAMES = new Set([
  "cap-reached",
  "drive-full",
  "not-writable",
  "read-only",
  "missing",
  "not-a-folder",
  "in-use",
  "no-location",
]);

/**
 * A tier on disk as the engine sees it: what is there, what waits to be written, and whether it can be
 * reached. No fault of the disk stops the engine; each is said once.
 */
export class DiskStore {
  state: DiskState = { kind: "unreachable" };
  /** Whether it was asked what is there: it said so, or cannot be reached. */
  isListed = false;
  /** What fetching a frame takes; undefined before the first one. */
  measuredFetchMs: Milliseconds | undefined;
  private targets: readonly Target[] = [];
  private forms: MeasuredForms = {};
  private listing: Listing["frames"] = [];
  private readonly keys = new Set<ContentKey>();
  private readonly waiting = new Map<ContentKey, Waiting>();
  private writing: ContentKey | undefined;
  private readonly reads = new Rate();
  private quiet = false;
  private saidUnreachable = false;
  private retry: ReturnType<typeof setTimeout> | undefined;

  constructor(
    private readonly client: FrameStorage,
    private readonly words: DiskWords,
    private readonly listener: DiskListener,
  ) {}

  /** Whether a location takes frames now. */
  accepts(location: string): boolean {
    return this.state.kind === "ready" && this.targetOf(location) !== undefined;
  }

  /** Notes that a frame came or went by another way than through here. */
  note(key: ContentKey, held: boolean): void {
    if (held) this.keys.add(key);
    else this.keys.delete(key);
    this.listener.onKeys([key], held);
  }

  /** Keys of the frames at one location, as they were last listed. */
  keysAt(location: string): ContentKey[] {
    return this.listing.flatMap((one) => (one.location === location ? one.frames.map(([key]) => key) : []));
  }

  targetOf(location: string): Target | undefined {
    return this.targets.find((target) => target.location === location);
  }

  setForms(forms: MeasuredForms): void {
    this.forms = forms;
  }

  get fetchMs(): Milliseconds {
    return this.measuredFetchMs ?? FIRST_FETCH_MS;
  }

  get queued(): number {
    return this.waiting.size + Number(this.writing !== undefined);
  }

  /** Bytes a second; undefined before the first frame was read. */
  get readRate(): Bytes | undefined {
    return this.reads.perSecond;
  }

  has(key: ContentKey): boolean {
    return this.keys.has(key);
  }

  get holdsSome(): boolean {
    return this.keys.size > 0;
  }

  isQueued(key: ContentKey): boolean {
    return this.waiting.has(key) || this.writing === key;
  }

  /** Nothing is written while playing or scrubbing. */
  setQuiet(quiet: boolean): void {
    this.quiet = quiet;
    this.writeNext();
  }

  /** Asks anew what is on disk. */
  async refresh(): Promise<void> {
    clearTimeout(this.retry);
    const listed = await this.client.list();
    if (listed.ok) this.adopt(listed.value);
    else this.fail(listed.failure);
    this.isListed = true;
    this.listener.onChange();
  }

  private adopt({ frames: listed, targets }: Listing): void {
    this.targets = targets;
    this.listing = listed;
    const frames = listed.flatMap((one) => one.frames);
    this.listener.onCosts(frames);
    const found = new Set(frames.map(([key]) => key));
    const gone = [...this.keys].filter((key) => !found.has(key));
    const fresh = [...found].filter((key) => !this.keys.has(key));
    gone.forEach((key) => this.keys.delete(key));
    fresh.forEach((key) => this.keys.add(key));
    if (gone.length > 0) this.listener.onKeys(gone, false);
    if (fresh.length > 0) this.listener.onKeys(fresh, true);
    if (this.saidUnreachable) this.listener.notice(this.words.back);
    this.saidUnreachable = false;
    this.state = { kind: "ready" };
    this.writeNext();
  }

  /** @returns undefined when the frame cannot be had from disk; it is then no longer listed */
  async fetch(key: ContentKey, spare?: Uint8Array<ArrayBuffer>): Promise<FetchedPicture | undefined> {
    const start = performance.now();
    this.reads.begin(start);
    const answer = await this.client.fetch(key, spare);
    const now = performance.now();
    this.reads.end(answer.ok ? answer.value.bytes : 0, now);
    if (answer.ok) {
      this.measuredFetchMs = 0.7 * this.fetchMs + 0.3 * (now - start);
      return answer.value;
    }
    this.fail(answer.failure);
    this.keys.delete(key);
    this.listener.onKeys([key], false);
    return undefined;
  }

  enqueue(frame: Waiting): void {
    if (this.isQueued(frame.key)) return;
    this.waiting.set(frame.key, frame);
    this.writeNext();
  }

  private writeNext(): void {
    if (this.writing !== undefined || this.quiet || this.state.kind !== "ready") return;
    const [next] = this.waiting.values();
    if (!next) return;
    this.waiting.delete(next.key);
    const picture = next.picture();
    const target = this.targetOf(next.location);
    if (!picture || !target || this.keys.has(next.key)) {
      next.settled();
      this.writeNext();
      return;
    }
    this.writing = next.key;
    const measured = target.packing === "automatic" ? this.forms[target.location] : undefined;
    void this.write(next, picture, { ...target, packing: measured ?? target.packing });
  }

  private async write(frame: Waiting, picture: HeldPicture, target: Target): Promise<void> {
    const { key, owner, costMs } = frame;
    const answer = await this.client.store({ key, owner, costMs, picture }, target);
    if (answer.ok) {
      this.keys.add(frame.key);
      this.listener.onKeys([frame.key], true);
    } else this.fail(answer.failure);
    this.writing = undefined;
    frame.settled();
    this.listener.onChange();
    this.writeNext();
  }

  private fail({ kind, code, detail }: Failure): void {
    if (kind === "unreachable") {
      if (!this.saidUnreachable) this.listener.notice(this.words.unreachable);
      this.saidUnreachable = true;
      this.state = { kind: "unreachable" };
      // What the server held cannot be read now; it is listed anew when the server is back.
      const lost = [...this.keys];
      this.keys.clear();
      this.listener.onKeys(lost, false);
      this.giveUp();
      this.tryLater();
    } else if (code !== undefined && REFUSES_FRAMES.has(code)) {
      if (this.state.kind !== "refused") this.listener.notice(detail);
      this.state = { kind: "refused", detail };
      this.giveUp();
      this.tryLater();
    } else if (code === "damaged") {
      this.listener.notice("A frame on disk was damaged; it has been removed and is rendered again.");
    } else if (code !== "not-held") this.listener.notice(`The disk cache: ${detail}`);
  }

  /** Gives up what waits to be written for an owner. */
  drop(owner: string): void {
    this.giveUp((frame) => frame.owner === owner);
  }

  /** Gives up what waits to be written. */
  giveUp(which: (frame: Waiting) => boolean = () => true): void {
    for (const frame of [...this.waiting.values()].filter(which)) {
      this.waiting.delete(frame.key);
      frame.settled();
    }
  }

  private tryLater(): void {
    clearTimeout(this.retry);
    this.retry = setTimeout(() => void this.refresh(), RETRY_MS);
  }
}
