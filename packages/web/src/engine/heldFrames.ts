import {
  MemoryCache,
  type Branch,
  type Bytes,
  type ContentKey,
  type EvictionContext,
  type Milliseconds,
  type Standing,
} from "@kinetocache/core";
import type { HeldPicture } from "./frameStorage";
import { releasePixels, SparePixels } from "./pixels";

/** A layer's finished pixels, and what rendering them takes. */
export interface HeldBranch extends Branch {
  readonly layer: string;
  readonly costMs: Milliseconds;
}

type Entry =
  | { readonly kind: "frame"; readonly picture: HeldPicture }
  /** Without its pixels while a render worker has them. */
  | { readonly kind: "branch"; branch: HeldBranch; readonly bytes: Bytes; isLent: boolean };

/**
 * Frames in memory: those in the cache, under its budget, and the overflow, which the cache did not take and
 * which stay until they were shown or written to disk. Layers' finished pixels share the cache with them; they are
 * lent to the one worker that needs them and come back, so that nothing is copied on the way.
 */
export class HeldFrames {
  private readonly cache: MemoryCache<Entry>;
  private readonly overflow = new Map<ContentKey, HeldPicture>();
  private overflowTotal: Bytes = 0;
  private branches = 0;
  private branchTotal: Bytes = 0;

  /** @param onHeld told of each frame or branch that comes or goes @param spares takes the buffers of frames that go */
  constructor(
    private readonly onHeld: (key: ContentKey, held: boolean) => void,
    private readonly spares: SparePixels,
  ) {
    this.cache = new MemoryCache<Entry>(0, (entry) => this.discard(entry));
  }

  get budgetBytes(): Bytes {
    return this.cache.budgetBytes;
  }

  get usedBytes(): Bytes {
    return this.cache.usedBytes;
  }

  /** Frames in the cache. */
  get size(): number {
    return this.cache.size - this.branches;
  }

  /** Layers' finished pixels in the cache, and their bytes. */
  get branchCount(): number {
    return this.branches;
  }

  get branchBytes(): Bytes {
    return this.branchTotal;
  }

  /** Bytes of the overflow, which the budget does not count. */
  get overflowBytes(): Bytes {
    return this.overflowTotal;
  }

  /** Keys of the frames in the overflow. */
  get overflowKeys(): readonly ContentKey[] {
    return [...this.overflow.keys()];
  }

  has(key: ContentKey): boolean {
    return this.cache.has(key) || this.overflow.has(key);
  }

  /** Whether the cache holds it, so that nothing but eviction can take it away. */
  isCached(key: ContentKey): boolean {
    return this.cache.has(key);
  }

  /** Keys in the cache. */
  keys(): IterableIterator<ContentKey> {
    return this.cache.keys();
  }

  /** A frame to be shown; that counts as a use, and the rules learn from it. */
  use(key: ContentKey, context: EvictionContext): HeldPicture | undefined {
    return pictureOf(this.cache.use(key, context)) ?? this.overflow.get(key);
  }

  peek(key: ContentKey): HeldPicture | undefined {
    return pictureOf(this.cache.peek(key)) ?? this.overflow.get(key);
  }

  standing(key: ContentKey, context: EvictionContext): Standing | undefined {
    return this.cache.standing(key, context);
  }

  /** Whether a branch of a size would be taken. */
  wouldTake(key: ContentKey, bytes: Bytes, costMs: Milliseconds, context: EvictionContext): boolean {
    return this.cache.wouldAdmit(key, bytes, costMs, context, "branch");
  }

  /** @returns false when everything held is worth more; its memory is given back then */
  putBranch(branch: HeldBranch, context: EvictionContext): boolean {
    const { key, pixels, costMs } = branch;
    const entry: Entry = { kind: "branch", branch, bytes: pixels.byteLength, isLent: false };
    const { admitted, evicted } = this.cache.put(key, entry, pixels.byteLength, costMs, context, "branch");
    evicted.forEach((victim) => this.onHeld(victim, false));
    if (!admitted) {
      releasePixels(pixels);
      return false;
    }
    this.branches++;
    this.branchTotal += pixels.byteLength;
    this.onHeld(key, true);
    return true;
  }

  /** A branch for one worker, until it is taken back; undefined when it is not held, or lent already. */
  lend(key: ContentKey): HeldBranch | undefined {
    const entry = this.cache.peek(key);
    if (entry?.kind !== "branch" || entry.isLent) return undefined;
    this.cache.use(key);
    entry.isLent = true;
    return entry.branch;
  }

  takeBack({ key, window, pixels }: Branch): void {
    const entry = this.cache.peek(key);
    if (entry?.kind !== "branch" || !entry.isLent) {
      // It had to go meanwhile.
      releasePixels(pixels);
      return;
    }
    entry.branch = { ...entry.branch, window, pixels };
    entry.isLent = false;
  }

  /** A branch that was lent will not come back. */
  lose(key: ContentKey): void {
    const entry = this.cache.peek(key);
    if (entry?.kind === "branch" && entry.isLent && this.cache.remove(key)) this.onHeld(key, false);
  }

  /** @returns false when everything held is worth more */
  put(key: ContentKey, picture: HeldPicture, costMs: Milliseconds, context: EvictionContext): boolean {
    const bytes = picture.pixels.byteLength;
    const { admitted, evicted } = this.cache.put(key, { kind: "frame", picture }, bytes, costMs, context);
    evicted.forEach((victim) => this.onHeld(victim, false));
    if (admitted) this.onHeld(key, true);
    return admitted;
  }

  /** Keeps a frame that the cache did not take. @param shows whether it is to be shown, not only written */
  keepOverflow(key: ContentKey, picture: HeldPicture, shows: boolean): void {
    this.letGo(key);
    this.overflow.set(key, picture);
    this.overflowTotal += picture.pixels.byteLength;
    if (shows) this.onHeld(key, true);
  }

  letGo(key: ContentKey): void {
    const picture = this.overflow.get(key);
    if (!picture) return;
    this.overflow.delete(key);
    this.overflowTotal -= picture.pixels.byteLength;
    this.spares.add(picture.pixels);
    this.onHeld(key, false);
  }

  /** @param except frames that stay: those on show */
  letGoAll(except: readonly ContentKey[]): void {
    for (const key of this.overflowKeys) if (!except.includes(key)) this.letGo(key);
  }

  /** Empties the cache; the budget stays. */
  clear(context: EvictionContext): void {
    const { budgetBytes } = this;
    this.setBudget(0, context);
    this.setBudget(budgetBytes, context);
  }

  setBudget(budget: Bytes, context: EvictionContext): void {
    this.cache.setBudget(budget, context).forEach((key) => this.onHeld(key, false));
    // Whoever lowers the budget wants the memory.
    this.spares.drop();
  }

  private discard(entry: Entry): void {
    if (entry.kind === "frame") {
      this.spares.add(entry.picture.pixels);
      return;
    }
    this.branches--;
    this.branchTotal -= entry.bytes;
    // One that is lent gives its memory back when it returns.
    if (!entry.isLent) releasePixels(entry.branch.pixels);
  }
}

function pictureOf(entry: Entry | undefined): HeldPicture | undefined {
  return entry?.kind === "frame" ? entry.picture : undefined;
}
