import type { ContentKey, FrameNumber, Milliseconds } from "@kinetocache/core";

type Shown =
  /** Nothing, or a picture of a state that is over. */
  | { readonly kind: "nothing" }
  | { readonly kind: "frame"; readonly frame: FrameNumber }
  /** At full size, where the preview is smaller. */
  | { readonly kind: "sharp"; readonly frame: FrameNumber }
  /** At the size for scrubbing. */
  | { readonly kind: "scrub"; readonly frame: FrameNumber };

const NOTHING: Shown = { kind: "nothing" };

/** What the viewer shows, under which keys, and since when. */
export class OnShow {
  private shown: Shown = NOTHING;
  private shownKeys: readonly ContentKey[] = [];
  private sinceMs: Milliseconds = 0;

  /** Keys of the pictures that the viewer got last, also where what they show is over. */
  get keys(): readonly ContentKey[] {
    return this.shownKeys;
  }

  get atMs(): Milliseconds {
    return this.sinceMs;
  }

  /** The frame on show at the size of the preview or sharper. */
  get frame(): FrameNumber | undefined {
    const { shown } = this;
    return shown.kind === "frame" || shown.kind === "sharp" ? shown.frame : undefined;
  }

  isSharp(frame: FrameNumber): boolean {
    return this.shown.kind === "sharp" && this.shown.frame === frame;
  }

  isScrubbed(frame: FrameNumber): boolean {
    return this.shown.kind === "scrub" && this.shown.frame === frame;
  }

  /** Whether just these pictures are on show at the size of the preview. */
  has(keys: readonly ContentKey[]): boolean {
    return this.shown.kind === "frame" && keys.join() === this.shownKeys.join();
  }

  show(frame: FrameNumber, keys: readonly ContentKey[], now: Milliseconds): void {
    this.shown = { kind: "frame", frame };
    this.shownKeys = keys;
    this.sinceMs = now;
  }

  /** The frame on show is shown at full size. */
  sharpen(frame: FrameNumber): void {
    this.shown = { kind: "sharp", frame };
  }

  scrub(frame: FrameNumber, now: Milliseconds): void {
    this.shown = { kind: "scrub", frame };
    this.sinceMs = now;
  }

  /** What is on show is of a state that is over. */
  expire(): void {
    this.shown = NOTHING;
  }

  /** The viewer has a new canvas. */
  clear(): void {
    this.shown = NOTHING;
    this.shownKeys = [];
  }
}
