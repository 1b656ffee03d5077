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

/** Pictures that a layer is made of: one, but for a nested composition that is blended layer by layer. */
interface Part {
  readonly frames: Timeline;
  /** What each frame's pixels take. */
  readonly bytes: Float64Array;
}

/** One layer's finished pixels along the timeline. */
interface Lane {
  readonly parts: Part[];
  /** First frame whose keys have not been computed yet. */
  nextUnkeyed: number;
  /** Bits of where all of its pixels of each frame are held. */
  readonly residency: Uint8Array;
  /** Frames that memory did not take. */
  readonly refused: Set<FrameNumber>;
  /** Frames on which the layer shows nothing. */
  readonly empty: Set<FrameNumber>;
  /** 1 where pixels are held, or there is nothing to hold, or no room for it; and where that is not known yet. */
  readonly filled: Uint8Array;
}

/** Where the finished pixels of some layers are held: those that are marked, pinned, asked for, selected or in view. */
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
      const residency = new Uint8Array(this.duration);
      const filled = new Uint8Array(this.duration).fill(1);
      this.lanes.set(layer, {
        parts: [],
        nextUnkeyed: 0,
        residency,
        refused: new Set(),
        empty: new Set(),
        filled,
      });
    }
  }

  get hasUnkeyed(): boolean {
    return this.nextUnkeyed < this.duration;
  }

  private get nextUnkeyed(): FrameNumber {
    let next = this.duration;
    for (const lane of this.lanes.values()) next = Math.min(next, lane.nextUnkeyed);
    return next;
  }

  /** Computes keys in order until the time is used up. */
  computeKeys(limitMs: Milliseconds): void {
    const until = performance.now() + limitMs;
    this.changed = true;
    for (let frame = this.nextUnkeyed; frame < this.duration && performance.now() < until; frame++) this.place(frame);
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
      if (lane.residency[frame]) held++;
    }
    return { held, total };
  }

  /** For each of some layers that are followed, how much of a range is held and what that takes, as far as it is known. */
  kept(layers: ReadonlySet<string>, range: { readonly in: FrameNumber; readonly out: FrameNumber }): LayerKept[] {
    return [...this.lanes].flatMap(([layer, { parts }]) => {
      if (!layers.has(layer)) return [];
      let [heldBytes, allBytes] = [0, 0];
      for (const { frames, bytes } of parts)
        for (let frame = range.in; frame < Math.min(range.out, this.duration); frame++) {
          const key = frames.keyOf(frame);
          // What looks the same in several frames is held once.
          const shown = key === undefined ? [] : frames.framesOf(key);
          if (shown.find((one) => one >= range.in) !== frame) continue;
          allBytes += bytes[frame]!;
          if (frames.residency[frame]) heldBytes += bytes[frame]!;
        }
      return [{ layer, ...this.count(layer, range), heldBytes, allBytes }];
    });
  }

  /** Bits of where a layer's pixels of each frame are held; undefined when it is not followed. */
  residency(layer: string): Uint8Array | undefined {
    return this.lanes.get(layer)?.residency;
  }

  /** Whether anything has changed since this was asked last. */
  takeChanged(): boolean {
    const { changed } = this;
    this.changed = false;
    return changed;
  }

  mark(key: ContentKey, held: boolean): void {
    this.changed = true;
    for (const lane of this.lanes.values())
      for (const { frames } of lane.parts) {
        frames.mark(key, IN_MEMORY, held);
        for (const frame of frames.framesOf(key)) settle(lane, frame);
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

  /** Notes what all layers show on a frame, of those that have come to it. */
  private place(frame: FrameNumber): void {
    const { root } = buildGraph(this.document, frame, this.settings, this.bakes);
    for (const [layer, lane] of this.lanes) {
      if (lane.nextUnkeyed !== frame) continue;
      lane.nextUnkeyed++;
      const nodes = root.inputs.filter((input) => input.layer === layer);
      for (const [index, node] of nodes.entries()) {
        lane.parts[index] ??= { frames: new Timeline(this.duration), bytes: new Float64Array(this.duration) };
        const { frames, bytes } = lane.parts[index];
        // Baked pixels are on disk already.
        if (node.kind === "sequence") frames.setKey(frame, node.key, ON_DISK);
        else {
          frames.setKey(frame, node.key, this.isHeld(node.key) ? IN_MEMORY : 0);
          bytes[frame] = pixelCount(node.window) * PIXEL_BYTES;
        }
      }
      if (nodes.length === 0) lane.empty.add(frame);
      settle(lane, frame);
    }
  }
}

function settle({ parts, residency, refused, empty, filled }: Lane, frame: FrameNumber): void {
  const shown = parts.filter(({ frames }) => frames.keyOf(frame) !== undefined);
  const isHeld = shown.length > 0 && shown.every(({ frames }) => frames.residency[frame] !== 0);
  residency[frame] = isHeld ? shown.reduce((bits, { frames }) => bits | frames.residency[frame]!, 0) : 0;
  filled[frame] = Number(empty.has(frame) || refused.has(frame) || isHeld);
}
