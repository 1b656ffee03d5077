import {
  buildGraph,
  EFFECT_MODES,
  FRACTIONS,
  mainComposition,
  stillKeys,
  type Bakes,
  type CostModel,
  type Document,
  type EffectMode,
  type FrameNumber,
  type FrameRange,
  type Milliseconds,
  type RenderSettings,
} from "@kinetocache/core";

/** What the average frame of the range would take under each trade-off; all of it estimated by the cost model. */
export interface Savings {
  /** Id of the main composition that they are of. */
  readonly composition: string;
  readonly presentMs: Milliseconds;
  /** By preview size, in the order of `FRACTIONS`. */
  readonly bySize: readonly Milliseconds[];
  readonly byEffects: Readonly<Record<EffectMode, Milliseconds>>;
  readonly withMotionBlur: Milliseconds;
  readonly withoutMotionBlur: Milliseconds;
  /** With a layer's effects left out, and with the layer shown alone. */
  readonly layers: readonly {
    readonly layer: string;
    readonly effectsOffMs: Milliseconds;
    readonly soloMs: Milliseconds;
  }[];
}

// Frames that stand for the range.
const SAMPLES = 8;

/** Works the savings out one trade-off after the other, so that nothing waits for all of them. */
export function* workOutSavings(
  document: Document,
  settings: RenderSettings,
  bakes: Bakes,
  range: FrameRange,
  model: CostModel,
): Generator<undefined, Savings> {
  const frames = samplesOf(range);
  const meanOf = (change: Partial<RenderSettings>): Milliseconds => {
    const how = { ...settings, ...change };
    const costs = frames.map((frame) => {
      const { root } = buildGraph(document, frame, how, bakes);
      return model.estimateFrame(root, stillKeys(document, frame, how, bakes)).total;
    });
    return costs.reduce((sum, ms) => sum + ms, 0) / frames.length;
  };
  const bySize: Milliseconds[] = [];
  for (const fraction of FRACTIONS) {
    bySize.push(meanOf({ fraction }));
    yield;
  }
  const byEffects: Partial<Record<EffectMode, Milliseconds>> = {};
  for (const effects of EFFECT_MODES) {
    byEffects[effects] = meanOf({ effects });
    yield;
  }
  const layers: Savings["layers"][number][] = [];
  for (const { id, effects } of mainComposition(document).layers) {
    const { effectsOff } = settings;
    const effectsOffMs = effects.length > 0 ? meanOf({ effectsOff: [...effectsOff, id] }) : meanOf({});
    layers.push({ layer: id, effectsOffMs, soloMs: meanOf({ solo: [id] }) });
    yield;
  }
  return {
    composition: document.main,
    presentMs: meanOf({}),
    bySize,
    byEffects: byEffects as Record<EffectMode, Milliseconds>,
    withMotionBlur: meanOf({ motionBlur: true }),
    withoutMotionBlur: meanOf({ motionBlur: false }),
    layers,
  };
}

function samplesOf(range: FrameRange): FrameNumber[] {
  const length = range.out - range.in;
  const count = Math.min(SAMPLES, length);
  return Array.from({ length: count }, (_, index) => range.in + Math.floor(((index + 0.5) * length) / count));
}

/** Keeps what trade-offs would save up to date while a screen wants to know. */
export class SavingsDesk {
  /** How many parts of the screen want to know. */
  private wanted = 0;
  private stale = true;
  private run: Generator<undefined, Savings> | undefined;

  /** @param start begins to work them out; undefined while that is not possible */
  constructor(
    private readonly emit: (event: { readonly kind: "savings"; readonly savings: Savings }) => void,
    private readonly start: () => Generator<undefined, Savings> | undefined,
  ) {}

  want(wanted: boolean): void {
    this.wanted += wanted ? 1 : -1;
    this.stale ||= wanted;
  }

  /** Something has changed that they follow from. */
  note(): void {
    this.stale = true;
    this.run = undefined;
  }

  /** Whether there is something to work out now. */
  isDue(isPlaying: boolean): boolean {
    if (this.wanted <= 0 || isPlaying) return false;
    if (this.stale && !this.run) this.run = this.start();
    return this.run !== undefined;
  }

  /** Works on until the time is used up. */
  step(limitMs: Milliseconds): void {
    const until = performance.now() + limitMs;
    while (this.run) {
      const next = this.run.next();
      if (next.done) {
        this.run = undefined;
        this.stale = false;
        this.emit({ kind: "savings", savings: next.value });
      } else if (performance.now() >= until) return;
    }
  }
}
