import {
  documentKey,
  frameBudgetMs,
  IN_MEMORY,
  mainComposition,
  ON_DISK,
  summariseTake,
  type Bake,
  type Bytes,
  type CostSample,
  type Document,
  type FrameNumber,
  type FrameRange,
  type Milliseconds,
  type Origin,
  type TakeFrame,
} from "@kinetocache/core";
import type { LayerChoices, MeasuredTake, PreviewSettings } from "./protocol";

function variantName({ main, variants }: Document): string {
  return variants.find(({ composition }) => composition === main)!.name;
}

/** Notes one playback run, frame by frame. */
export class TakeRecorder {
  private readonly frames: TakeFrame[] = [];
  private readonly layerMs = new Map<string | null, Milliseconds>();
  private readonly heldAtStart: MeasuredTake["heldAtStart"];
  private readonly startedAtMs = Date.now();
  private bytesRead: Bytes = 0;
  private stallMs: Milliseconds = 0;
  private graphicsFault: string | undefined;

  constructor(
    private readonly run: {
      readonly document: Document;
      readonly bakes: readonly Bake[];
      readonly settings: PreviewSettings;
      readonly layers: LayerChoices;
      /** Why the chosen graphics device does not render, where it does not. */
      readonly graphicsFault?: string;
      readonly range: FrameRange;
      readonly residency: Uint8Array;
      readonly startMs: Milliseconds;
    },
  ) {
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

  rendered(costs: readonly CostSample[]): void {
    for (const { layer, ms } of costs) this.layerMs.set(layer, (this.layerMs.get(layer) ?? 0) + ms);
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
    const { name, width, height, rate } = mainComposition(document);
    const budgetMs = frameBudgetMs(rate);
    return {
      startedAtMs: this.startedAtMs,
      document: { id: document.id, state: documentKey(document), name, variant: variantName(document), width, height },
      baked: bakes.filter(({ complete, enabled }) => complete && enabled).map(({ target }) => target.layer ?? ""),
      budgetMs,
      range,
      settings,
      layers,
      depth: document.depth,
      frames: this.frames,
      summary: summariseTake(this.frames, budgetMs, this.bytesRead),
      layerMs: [...this.layerMs].map(([layer, ms]) => ({ layer, ms })).sort((a, b) => b.ms - a.ms),
      heldAtStart: this.heldAtStart,
      ...(this.graphicsFault === undefined ? {} : { graphicsFault: this.graphicsFault }),
    };
  }

  private dueMs(step: number, budgetMs: Milliseconds): Milliseconds {
    return step * budgetMs + this.stallMs;
  }
}
