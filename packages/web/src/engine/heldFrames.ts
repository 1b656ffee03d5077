import {
  MemoryCache,
  type Admission,
  type Bytes,
  type ContentKey,
  type EvictionContext,
  type Milliseconds,
} from "@kinetocache/core";
import type { HeldPicture } from "./frameStorage";
import { SparePixels } from "./pixels";

/**
 * Frames in memory: those in the cache, under its budget, and those in hand, which the cache did not take and
 * which stay until they were shown or written to disk.
 */
export class HeldFrames {
  private readonly cache: MemoryCache<HeldPicture>;
  private readonly inHand = new Map<ContentKey, HeldPicture>();

  /** @param onHeld told of each frame that comes or goes @param spares takes the buffers of those that go */
  constructor(
    private readonly onHeld: (key: ContentKey, held: boolean) => void,
    private readonly spares: SparePixels,
  ) {
    this.cache = new MemoryCache<HeldPicture>(0, ({ pixels }) => this.spares.add(pixels));
  }

  get budgetBytes(): Bytes {
    return this.cache.budgetBytes;
  }

  get usedBytes(): Bytes {
    return this.cache.usedBytes;
  }

  /** Frames in the cache. */
  get size(): number {
    return this.cache.size;
  }

  /** Keys of the frames in hand. */
  get handKeys(): readonly ContentKey[] {
    return [...this.inHand.keys()];
  }

  has(key: ContentKey): boolean {
    return this.cache.has(key) || this.inHand.has(key);
  }

  /** Whether the cache holds it, so that nothing but eviction can take it away. */
  isCached(key: ContentKey): boolean {
    return this.cache.has(key);
  }

  /** Keys in the cache. */
  keys(): IterableIterator<ContentKey> {
    return this.cache.keys();
  }

  /** A frame to be shown; that counts as a use. */
  use(key: ContentKey): HeldPicture | undefined {
    return this.cache.use(key) ?? this.inHand.get(key);
  }

  peek(key: ContentKey): HeldPicture | undefined {
    return this.cache.peek(key) ?? this.inHand.get(key);
  }

  /** @returns false when everything held is worth more */
  put(key: ContentKey, picture: HeldPicture, costMs: Milliseconds, context: EvictionContext): boolean {
    const { admitted, evicted }: Admission = this.cache.put(key, picture, picture.pixels.byteLength, costMs, context);
    evicted.forEach((victim) => this.onHeld(victim, false));
    if (admitted) this.onHeld(key, true);
    return admitted;
  }

  /** Keeps a frame that the cache did not take. @param shows whether it is to be shown, not only written */
  keepInHand(key: ContentKey, picture: HeldPicture, shows: boolean): void {
    this.inHand.set(key, picture);
    if (shows) this.onHeld(key, true);
  }

  letGo(key: ContentKey): void {
    const picture = this.inHand.get(key);
    if (!picture) return;
    this.inHand.delete(key);
    this.spares.add(picture.pixels);
    this.onHeld(key, false);
  }

  /** @param except a frame that stays: the one on show */
  letGoAll(except: ContentKey | undefined): void {
    for (const key of this.handKeys) if (key !== except) this.letGo(key);
  }

  setBudget(budget: Bytes, context: EvictionContext): void {
    this.cache.setBudget(budget, context).forEach((key) => this.onHeld(key, false));
    // Whoever lowers the budget wants the memory.
    this.spares.drop();
  }
}
