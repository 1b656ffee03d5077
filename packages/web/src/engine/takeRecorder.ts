import {
  documentKey,
  frameBudgetMs,
  IN_MEMORY,
  mainComposition,
  ON_DISK,
  summariseTake,
  type Bake,
  type Bytes,
  type Document,
  type FrameNumber,
  openName,
  type FrameRange,
  type Milliseconds,
  type Origin,
  type RenderedFrame,
  type TakeFrame,
} from "@kinetocache/core";
import type { LayerChoices, PreviewSettings } from "./protocol/command";
import type { MeasuredTake, TakenTime } from "./protocol/event";

/** What a take is of. */
export interface TakeRun {
  readonly document: Document;
  readonly bakes: readonly Bake[];
  readonly settings: PreviewSettings;
  readonly layers: LayerChoices;
  /** Why the chosen graphics device does not render, where it does not. */
  readonly graphicsFault?: string;
  /** Why files cannot be read, by their fingerprints. */
  readonly missing: Readonly<Record<string, string>>;
  readonly range: FrameRange;
  readonly residency: Uint8Array;
  /** What each frame of the composition is expected to cost when the take begins; 0 where nothing is known. */
  readonly expected: Float32Array;
  readonly startMs: Milliseconds;
}

/** Notes one playback run, frame by frame. */
export class TakeRecorder {
  private readonly frames: TakeFrame[] = [];
  /** By layer; "" is the stack. */
  private readonly layerMs = new Map<string, Milliseconds>();
  /** Reading frames of the whole that were baked. */
  private readingMs: Milliseconds = 0;
  private readonly rendering = { frames: 0, ms: 0, expected: 0, expectedMs: 0 };
  private readonly heldAtStart: MeasuredTake["heldAtStart"];
  private readonly startedAtMs = Date.now();
  private bytesRead: Bytes = 0;
  private stallMs: Milliseconds = 0;
  private graphicsFault: string | undefined;

  constructor(private readonly run: TakeRun) {
    const held = (tier: number) =>
      run.residency.subarray(run.range.in, run.range.out).reduce((sum, bits) => sum + Number((bits & tier) !== 0), 0);
    this.graphicsFault = run.graphicsFault;
    this.heldAtStart = { memory: held(IN_MEMORY), disk: held(ON_DISK) };
  }

  shown(step: number, frame: FrameNumber, atMs: Milliseconds, origin: Origin, budgetMs: Milliseconds): void {
    this.frames.push({ frame, dueMs: this.dueMs(step, budgetMs), shownMs: atMs - this.run.startMs, origin });
  }

  skipped(step: number, frame: FrameNumber, budgetMs: Milliseconds): void {
    this.frames.push({ frame, dueMs: this.dueMs(step, budgetMs), origin: "skipped" });
  }

  /** All later frames are due that much later. */
  stalled(byMs: Milliseconds): void {
    this.stallMs += byMs;
  }

  rendered(frame: FrameNumber, { ms: tookMs, costs }: Pick<RenderedFrame, "ms" | "costs">): void {
    for (const { layer, kind, ms } of costs) {
      if (layer === null && kind === "sequence") this.readingMs += ms;
      else this.layerMs.set(layer ?? "", (this.layerMs.get(layer ?? "") ?? 0) + ms);
    }
    this.rendering.frames++;
    this.rendering.ms += tookMs;
    const expectedMs = this.run.expected[frame] ?? 0;
    this.rendering.expected += Number(expectedMs > 0);
    this.rendering.expectedMs += expectedMs;
  }

  /** The processor took over from a graphics device. */
  fellBack(reason: string): void {
    this.graphicsFault = reason;
  }

  read(bytes: Bytes): void {
    this.bytesRead += bytes;
  }

  finish(): MeasuredTake {
    const { document, bakes, settings, layers, range } = this.run;
    const { name, width, height, rate, layers: composed } = mainComposition(document);
    const nameOf = (layer: string) => composed.find(({ id }) => id === layer)?.name;
    const layerMs = [...this.layerMs].map(([layer, ms]): TakenTime =>
      layer === "" ? { layer: null, ms } : { layer, name: nameOf(layer), ms },
    );
    if (this.readingMs > 0) layerMs.push({ layer: null, isReading: true, ms: this.readingMs });
    const { frames: rendered, ms, expected, expectedMs } = this.rendering;
    const ofThem = expected === rendered ? { expectedMs: expectedMs / rendered } : {};
    const budgetMs = frameBudgetMs(rate);
    return {
      startedAtMs: this.startedAtMs,
      document: { id: document.id, state: documentKey(document), name, variant: openName(document), width, height },
      baked: bakes.filter(({ complete, enabled }) => complete && enabled).map(({ target }) => target.layer ?? ""),
      budgetMs,
      range,
      settings,
      layers,
      depth: document.depth,
      frames: this.frames,
      summary: summariseTake(this.frames, budgetMs, this.bytesRead),
      layerMs: layerMs.sort((a, b) => b.ms - a.ms),
      ...(rendered === 0 ? {} : { renderedFrames: { frames: rendered, meanMs: ms / rendered, ...ofThem } }),
      heldAtStart: this.heldAtStart,
      missing: this.run.missing,
      ...(this.graphicsFault === undefined ? {} : { graphicsFault: this.graphicsFault }),
    };
  }

  private dueMs(step: number, budgetMs: Milliseconds): Milliseconds {
    return step * budgetMs + this.stallMs;
  }
}
