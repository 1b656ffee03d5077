import { BROWSER_LOCATION, type Bytes, type ContentKey, type Milliseconds } from "@kinetocache/core";
import { DiskStore, type DiskListener, type MeasuredForms, type Waiting } from "./diskStore";
import type { FetchedPicture, FrameStorage, Target } from "./frameStorage";
import type { StoragePolicy } from "./protocol/command";
import type { DiskState } from "./diskStore";

export interface DiskPorts {
  readonly server: FrameStorage;
  readonly browser: FrameStorage;
}

/** Of the two tiers on disk, the one that a location belongs to. */
export function storageAt<T>({ server, browser }: { readonly server: T; readonly browser: T }, location: string): T {
  return location === BROWSER_LOCATION ? browser : server;
}

/** A frame that may be written. */
export interface Candidate extends Omit<Waiting, "location"> {
  /** Whether background rendering made it. */
  readonly inBackground: boolean;
}

const SERVER_WORDS = {
  unreachable: "The server does not answer: frames are kept in memory only until it is back.",
  back: "The server answers again; the disk cache is back.",
};
const BROWSER_WORDS = {
  unreachable: "The browser's storage does not answer: frames are kept in memory only.",
  back: "The browser's storage answers again.",
};

/**
 * All that is on disk: folders that the server keeps, and the browser's own storage. Frames are read from wherever
 * they are and written to the one location that is for the disk cache, as far as the policy goes.
 */
export class DiskTier {
  private readonly stores: { readonly server: DiskStore; readonly browser: DiskStore };
  private policy: StoragePolicy = { location: "main", store: "Always", storeSlow: false };
  /** Frames that read back slower than they render, and were therefore not stored. */
  private readonly tooSlow = new Set<ContentKey>();

  constructor(ports: DiskPorts, listener: DiskListener) {
    // What one of the two no longer has, the other may.
    const onKeys = (keys: readonly ContentKey[], held: boolean) =>
      listener.onKeys(held ? keys : keys.filter((key) => !this.has(key)), held);
    const server = new DiskStore(ports.server, SERVER_WORDS, { ...listener, onKeys });
    // Another tab may have it, or the browser may refuse it: whoever does not use it need not know.
    const notice = (text: string) => {
      if (this.policy.location === BROWSER_LOCATION || browser.holdsSome) listener.notice(text);
    };
    const browser = new DiskStore(ports.browser, BROWSER_WORDS, { ...listener, onKeys, notice });
    this.stores = { server, browser };
  }

  configure(policy: StoragePolicy): void {
    const { location, storeSlow } = this.policy;
    this.policy = policy;
    if (policy.location === location && policy.storeSlow === storeSlow) return;
    this.tooSlow.clear();
    if (policy.location === location) return;
    // What waits was meant for the other place.
    for (const store of this.all) store.giveUp();
  }

  /** Keys at a location, and where they can go, as both were last listed. */
  keysAt(location: string): ContentKey[] {
    return this.storeOf(location).keysAt(location);
  }

  targetOf(location: string): Target | undefined {
    return this.storeOf(location).targetOf(location);
  }

  setForms(forms: MeasuredForms): void {
    for (const store of this.all) store.setForms(forms);
  }

  /** Notes that a frame was moved, so that it is read from where it is. */
  noteMoved(key: ContentKey, from: string, to: string): void {
    this.storeOf(to).note(key, true);
    this.storeOf(from).note(key, false);
  }

  /** Whether frames can be written to a location now. */
  accepts(location: string): boolean {
    return this.storeOf(location).accepts(location);
  }

  private get all(): readonly DiskStore[] {
    return [this.stores.server, this.stores.browser];
  }

  private storeOf(location: string): DiskStore {
    return storageAt(this.stores, location);
  }

  private get target(): DiskStore {
    return this.storeOf(this.policy.location);
  }

  get state(): DiskState {
    return this.target.state;
  }

  /** Whether it is known what is there, as far as it can be. */
  get isListed(): boolean {
    return this.target.isListed;
  }

  get queued(): number {
    return this.all.reduce((sum, store) => sum + store.queued, 0);
  }

  /** What fetching a frame takes, wherever most come from. */
  get fetchMs(): Milliseconds {
    return this.target.fetchMs;
  }

  get readRate(): Bytes | undefined {
    return this.target.readRate ?? this.all.find((store) => store.readRate !== undefined)?.readRate;
  }

  /** How many frames were not stored because they read back slower than they render. */
  get notWorth(): number {
    return this.tooSlow.size;
  }

  has(key: ContentKey): boolean {
    return this.all.some((store) => store.has(key));
  }

  /** Whether a frame waits to be written, or is being written. */
  isQueued(key: ContentKey): boolean {
    return this.all.some((store) => store.isQueued(key));
  }

  setQuiet(quiet: boolean): void {
    for (const store of this.all) store.setQuiet(quiet);
  }

  async refresh(): Promise<void> {
    await Promise.all(this.all.map((store) => store.refresh()));
  }

  /** Frames that take at least so long to render would be written now; Infinity for none. */
  wantedFromMs(isInBackground: boolean): Milliseconds {
    const { store, location } = this.policy;
    const isMeant = store === "Always" || (store === "In background" && isInBackground);
    return isMeant && this.accepts(location) ? this.worthFromMs : Infinity;
  }

  wants(costMs: Milliseconds, isInBackground: boolean): boolean {
    return Number.isFinite(this.wantedFromMs(isInBackground)) && this.isWorth(costMs);
  }

  /** A frame is worth storing unless rendering it again is quicker than reading it back. */
  private get worthFromMs(): Milliseconds {
    return this.policy.storeSlow ? 0 : (this.target.measuredFetchMs ?? 0);
  }

  private isWorth(costMs: Milliseconds): boolean {
    return costMs >= this.worthFromMs;
  }

  /** @returns undefined when the frame cannot be had from disk; it is then no longer listed */
  async fetch(key: ContentKey, spare?: Uint8Array<ArrayBuffer>): Promise<FetchedPicture | undefined> {
    const { server, browser } = this.stores;
    if (!browser.has(key)) return server.fetch(key, spare);
    return (await browser.fetch(key, spare)) ?? (server.has(key) ? server.fetch(key) : undefined);
  }

  /** Has a frame written where `wants` says so; counts it where only its speed speaks against it. */
  offer({ inBackground, ...frame }: Candidate): void {
    if (this.has(frame.key)) return;
    const { location } = this.policy;
    if (this.wants(frame.costMs, inBackground)) this.target.enqueue({ ...frame, location });
    else if (this.accepts(location) && !this.isWorth(frame.costMs)) this.tooSlow.add(frame.key);
  }

  /** Gives up what waits to be written for an owner. */
  drop(owner: string): void {
    for (const store of this.all) store.drop(owner);
  }
}
