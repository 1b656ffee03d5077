import {
  BROWSER_LOCATION,
  worthStoring,
  type Bytes,
  type ContentKey,
  type Depth,
  type Milliseconds,
} from "@kinetocache/core";
import { DiskStore, type DiskListener, type Waiting } from "./diskStore";
import type { FetchedPicture, FrameStorage, Target } from "./frameStorage";
import type { DiskState, StoragePolicy } from "./protocol";

export interface DiskPorts {
  readonly server: FrameStorage;
  readonly browser: FrameStorage;
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
  private readonly server: DiskStore;
  private readonly browser: DiskStore;
  private policy: StoragePolicy = { location: "main", store: "Always", storeSlow: false };
  /** Frames that read back slower than they render, and were therefore not stored. */
  private readonly tooSlow = new Set<ContentKey>();

  constructor(ports: DiskPorts, listener: DiskListener) {
    // What one of the two no longer has, the other may.
    const onKeys = (keys: readonly ContentKey[], held: boolean) =>
      listener.onKeys(held ? keys : keys.filter((key) => !this.has(key)), held);
    this.server = new DiskStore(ports.server, SERVER_WORDS, { ...listener, onKeys });
    // Another tab may have it, or the browser may refuse it: whoever does not use it need not know.
    const notice = (text: string) => {
      if (this.policy.location === BROWSER_LOCATION || this.browser.holdsSome) listener.notice(text);
    };
    this.browser = new DiskStore(ports.browser, BROWSER_WORDS, { ...listener, onKeys, notice });
  }

  configure(policy: StoragePolicy): void {
    const { location, storeSlow } = this.policy;
    this.policy = policy;
    if (policy.location === location && policy.storeSlow === storeSlow) return;
    this.tooSlow.clear();
    if (policy.location !== location) this.server.giveUp();
    if (policy.location !== location) this.browser.giveUp();
  }

  /** The greatest depth that a location keeps. */
  deepestOf(location: string): Depth {
    return this.targetOf(location)?.deepest ?? "float";
  }

  /** Keys at a location, and where they can go, as both were last listed. */
  keysAt(location: string): ContentKey[] {
    return this.storeOf(location).keysAt(location);
  }

  targetOf(location: string): Target | undefined {
    return this.storeOf(location).targetOf(location);
  }

  /** Notes that a frame was moved, so that it is read from where it is. */
  noteMoved(key: ContentKey, from: string, to: string): void {
    this.storeOf(to).note(key, true);
    this.storeOf(from).note(key, false);
  }

  /** Whether frames can be written to a location now. */
  isReady(location: string): boolean {
    return this.storeOf(location).accepts(location);
  }

  private storeOf(location: string): DiskStore {
    return location === BROWSER_LOCATION ? this.browser : this.server;
  }

  private get target(): DiskStore {
    return this.storeOf(this.policy.location);
  }

  get state(): DiskState {
    return this.target.state;
  }

  get queued(): number {
    return this.server.queued + this.browser.queued;
  }

  /** What fetching a frame takes, wherever most come from. */
  get fetchMs(): Milliseconds {
    return this.target.fetchMs;
  }

  get readRate(): Bytes | undefined {
    return this.target.readRate ?? this.server.readRate ?? this.browser.readRate;
  }

  /** How many frames were not stored because they read back slower than they render. */
  get notWorth(): number {
    return this.tooSlow.size;
  }

  has(key: ContentKey): boolean {
    return this.server.has(key) || this.browser.has(key);
  }

  isQueued(key: ContentKey): boolean {
    return this.server.isQueued(key) || this.browser.isQueued(key);
  }

  setQuiet(quiet: boolean): void {
    this.server.setQuiet(quiet);
    this.browser.setQuiet(quiet);
  }

  async refresh(): Promise<void> {
    await Promise.all([this.server.refresh(), this.browser.refresh()]);
  }

  /** Whether a frame that takes so long to render would be written now. @param inBackground by whom it is rendered */
  wants(costMs: Milliseconds, inBackground: boolean): boolean {
    const { store, location } = this.policy;
    if (store === "Never" || (store === "In background" && !inBackground)) return false;
    return this.target.accepts(location) && this.isWorth(costMs);
  }

  private isWorth(costMs: Milliseconds): boolean {
    const { measuredFetchMs } = this.target;
    return this.policy.storeSlow || measuredFetchMs === undefined || worthStoring(costMs, measuredFetchMs);
  }

  /** @returns undefined when the frame cannot be had from disk; it is then no longer listed */
  async fetch(key: ContentKey, spare?: Uint8Array<ArrayBuffer>): Promise<FetchedPicture | undefined> {
    const first = this.browser.has(key) ? this.browser : this.server;
    const picture = await first.fetch(key, spare);
    if (picture || first === this.server || !this.server.has(key)) return picture;
    return this.server.fetch(key);
  }

  /** Writes a frame that `wants` accepts. @returns whether it will be written */
  offer({ inBackground, ...frame }: Candidate): boolean {
    if (this.has(frame.key)) return false;
    if (!this.wants(frame.costMs, inBackground)) {
      if (this.target.accepts(this.policy.location) && !this.isWorth(frame.costMs)) this.tooSlow.add(frame.key);
      return false;
    }
    this.target.enqueue({ ...frame, location: this.policy.location });
    return true;
  }

  /** Gives up what waits to be written for an owner. */
  drop(owner: string): void {
    this.server.drop(owner);
    this.browser.drop(owner);
  }
}
