import {
  buildGraph,
  IN_MEMORY,
  mainComposition,
  ON_DISK,
  PIXEL_BYTES,
  pixelCount,
  Timeline,
  type Bakes,
  type Bytes,
  type ContentKey,
  type Document,
  type FrameNumber,
  type Milliseconds,
  type RenderSettings,
} from "@kinetocache/core";

/** A layer's own pixels over the in–out range. */
export interface LayerKept {
  readonly layer: string;
  /** Frames whose pixels are held, of those on which it shows. */
  readonly held: number;
  readonly total: number;
  /** What those take that are held, and what all would take. */
  readonly heldBytes: Bytes;
  readonly allBytes: Bytes;
}

/** One layer's finished pixels along the timeline. */
interface Lane {
  readonly frames: Timeline;
  /** First frame whose key has not been computed yet. */
  nextUnkeyed: number;
  /** Frames that memory did not take. */
  readonly refused: Set<FrameNumber>;
  /** Frames on which the layer shows nothing. */
  readonly empty: Set<FrameNumber>;
  /** 1 where pixels are held, or there is nothing to hold, or no room for it; and where that is not known yet. */
  readonly filled: Uint8Array;
  /** What each frame's pixels take. */
  readonly bytes: Float64Array;
}

/** Where the finished pixels of some layers are held: those that are marked, pinned, asked for or selected. */
export class LayerLanes {
  private readonly lanes = new Map<string, Lane>();
  private changed = false;
  private readonly duration: number;

  constructor(
    private readonly document: Document,
    private readonly settings: RenderSettings,
    private readonly bakes: Bakes,
    private readonly isHeld: (key: ContentKey) => boolean,
  ) {
    this.duration = mainComposition(document).duration;
  }

  /** Follows these layers and no others. */
  follow(layers: ReadonlySet<string>): void {
    this.changed = true;
    for (const layer of this.lanes.keys()) if (!layers.has(layer)) this.lanes.delete(layer);
    for (const layer of layers) {
      if (this.lanes.has(layer)) continue;
      const frames = new Timeline(this.duration);
      const bytes = new Float64Array(this.duration);
      const filled = new Uint8Array(this.duration).fill(1);
      this.lanes.set(layer, { frames, nextUnkeyed: 0, refused: new Set(), empty: new Set(), filled, bytes });
    }
  }

  get hasUnkeyed(): boolean {
    for (const { nextUnkeyed } of this.lanes.values()) if (nextUnkeyed < this.duration) return true;
    return false;
  }

  /** Computes keys in order until the time is used up. */
  computeKeys(limitMs: Milliseconds): void {
    const until = performance.now() + limitMs;
    this.changed = true;
    for (const [layer, lane] of this.lanes)
      while (lane.nextUnkeyed < this.duration && performance.now() < until) this.keyOf(layer, lane.nextUnkeyed++);
  }

  /** By layer, 0 for each frame whose pixels are known to be missing. */
  get filled(): ReadonlyMap<string, Uint8Array> {
    return new Map([...this.lanes].map(([layer, { filled }]) => [layer, filled]));
  }

  /** Frames of a range whose pixels are held, of those that there are. */
  count(
    layer: string,
    range: { readonly in: FrameNumber; readonly out: FrameNumber },
  ): { held: number; total: number } {
    const lane = this.lanes.get(layer);
    let [held, total] = [0, 0];
    if (!lane) return { held, total };
    for (let frame = range.in; frame < Math.min(range.out, this.duration); frame++) {
      if (lane.empty.has(frame)) continue;
      total++;
      if (lane.frames.residency[frame]) held++;
    }
    return { held, total };
  }

  /** For each layer that is followed, how much of a range is held and what that takes, as far as it is known. */
  kept(range: { readonly in: FrameNumber; readonly out: FrameNumber }): LayerKept[] {
    return [...this.lanes].map(([layer, { frames, bytes }]) => {
      let [heldBytes, allBytes] = [0, 0];
      for (let frame = range.in; frame < Math.min(range.out, this.duration); frame++) {
        const key = frames.keyOf(frame);
        // What looks the same in several frames is held once.
        const shown = key === undefined ? [] : frames.framesOf(key);
        if (shown.find((one) => one >= range.in) !== frame) continue;
        allBytes += bytes[frame]!;
        if (frames.residency[frame]) heldBytes += bytes[frame]!;
      }
      return { layer, ...this.count(layer, range), heldBytes, allBytes };
    });
  }

  /** Bits of where a layer's pixels of each frame are held; undefined when it is not followed. */
  residency(layer: string): Uint8Array | undefined {
    return this.lanes.get(layer)?.frames.residency;
  }

  /** Whether anything has changed since this was asked last. */
  takeChanged(): boolean {
    const { changed } = this;
    this.changed = false;
    return changed;
  }

  mark(key: ContentKey, held: boolean): void {
    this.changed = true;
    for (const lane of this.lanes.values()) {
      lane.frames.mark(key, IN_MEMORY, held);
      for (const frame of lane.frames.framesOf(key)) settle(lane, frame);
    }
  }

  /** Memory did not take a layer's pixels: they are left alone until something changes. */
  refuse(layer: string, frame: FrameNumber): void {
    const lane = this.lanes.get(layer);
    lane?.refused.add(frame);
    if (lane) settle(lane, frame);
  }

  /** There may be room now for what was refused. */
  tryAgain(): void {
    for (const lane of this.lanes.values()) {
      const again = [...lane.refused];
      lane.refused.clear();
      for (const frame of again) settle(lane, frame);
    }
  }

  private keyOf(layer: string, frame: FrameNumber): void {
    const lane = this.lanes.get(layer)!;
    if (lane.frames.keyOf(frame) !== undefined || lane.empty.has(frame)) return;
    const { root } = buildGraph(this.document, frame, this.settings, this.bakes);
    const node = root.inputs.find((input) => input.layer === layer);
    if (!node) lane.empty.add(frame);
    // Baked pixels are on disk already.
    else if (node.kind === "sequence") lane.frames.setKey(frame, node.key, ON_DISK);
    else {
      lane.frames.setKey(frame, node.key, this.isHeld(node.key) ? IN_MEMORY : 0);
      lane.bytes[frame] = pixelCount(node.window) * PIXEL_BYTES;
    }
    settle(lane, frame);
  }
}

function settle({ frames, refused, empty, filled }: Lane, frame: FrameNumber): void {
  filled[frame] = Number(empty.has(frame) || refused.has(frame) || frames.residency[frame] !== 0);
}
