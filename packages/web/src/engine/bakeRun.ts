import { buildBakeGraph, type Bake, type ContentKey, type Document, type FrameNumber } from "@kinetocache/core";
import type { SequencePort } from "./sequenceClient";

/** A bake that is under way or rests. */
export interface BakeStatus {
  readonly id: string;
  readonly done: number;
  readonly total: number;
  readonly paused: boolean;
  /** Whether all is stored and is being read back. */
  readonly checking: boolean;
}

/**
 * One bake that is being made: which frames are stored, which come next. Frames of what an edit has changed meanwhile
 * are made again, so that the bake is of one state when it is done.
 */
export class BakeRun {
  paused = false;
  private stored: Map<FrameNumber, ContentKey> | undefined;
  /** Frames under way, by job. */
  private readonly jobs = new Map<number, FrameNumber>();
  private checking = false;
  /** Keys of the present state, as far as they were computed. */
  private live: { readonly document: Document; readonly keys: Map<FrameNumber, ContentKey> } | undefined;

  constructor(
    readonly bake: Bake,
    private readonly sequences: SequencePort,
  ) {}

  /** Learns what is stored of it already. @throws Error when the server cannot tell */
  async begin(): Promise<void> {
    const { in: first } = this.bake.range;
    const pictures = await this.sequences.pictures(this.bake.sequence);
    this.stored = new Map([...pictures].map(([number, key]) => [first + number, key]));
  }

  get status(): BakeStatus {
    const { id, range } = this.bake;
    const { paused, checking } = this;
    return { id, done: this.stored?.size ?? 0, total: range.out - range.in, paused, checking };
  }

  owns(job: number): boolean {
    return this.jobs.has(job);
  }

  /** The next frame to render, which is then under way as `job`; undefined while there is none. */
  next(job: number, document: Document): FrameNumber | undefined {
    if (this.paused || this.checking || !this.stored) return undefined;
    const underWay = new Set(this.jobs.values());
    for (let frame = this.bake.range.in; frame < this.bake.range.out; frame++) {
      if (underWay.has(frame) || this.stored.get(frame) === this.liveKey(frame, document)) continue;
      this.jobs.set(job, frame);
      return frame;
    }
    return undefined;
  }

  /** A frame was stored, or was not. @param key undefined when it was not */
  end(job: number, key: ContentKey | undefined): void {
    const frame = this.jobs.get(job);
    this.jobs.delete(job);
    if (frame !== undefined && key !== undefined) this.stored!.set(frame, key);
  }

  /** Whether every frame is stored as the document is now. */
  isStored(document: Document): boolean {
    if (!this.stored || this.jobs.size > 0 || this.checking) return false;
    for (let frame = this.bake.range.in; frame < this.bake.range.out; frame++)
      if (this.stored.get(frame) !== this.liveKey(frame, document)) return false;
    return true;
  }

  /** Has it read back. @returns the bake as it is played from then on @throws Error that says what is wrong */
  async complete(): Promise<Bake> {
    this.checking = true;
    try {
      await this.sequences.complete(this.bake.sequence);
      const { in: first, out } = this.bake.range;
      const keys = Array.from({ length: out - first }, (_, index) => this.stored!.get(first + index)!);
      return { ...this.bake, keys, complete: true, enabled: true };
    } catch (error) {
      this.paused = true;
      // What is missing or altered is not listed any more, and is made again.
      await this.begin().catch(() => undefined);
      throw error;
    } finally {
      this.checking = false;
    }
  }

  private liveKey(frame: FrameNumber, document: Document): ContentKey {
    if (this.live?.document !== document) this.live = { document, keys: new Map() };
    let key = this.live.keys.get(frame);
    if (key === undefined) {
      key = buildBakeGraph(document, this.bake.target, frame, this.bake).liveKey;
      this.live.keys.set(frame, key);
    }
    return key;
  }
}
