import type { FillTarget, FrameRange, Milliseconds } from "@kinetocache/core";
import type { LayerLanes } from "./layerLanes";
import type { PreviewTimeline } from "./previewTimeline";

/** Filling that was asked for by hand, and how far it is. */
export interface FillOrder {
  readonly id: number;
  readonly target: FillTarget;
  readonly paused: boolean;
  /** Frames that are held, of those that it covers. */
  readonly held: number;
  readonly total: number;
  /** Estimated time for the rest. */
  readonly remainingMs?: Milliseconds;
}

interface Order {
  readonly id: number;
  readonly target: FillTarget;
  paused: boolean;
}

/** The orders that are not done, in order. */
export class FillOrders {
  private orders: Order[] = [];
  private nextId = 1;

  /** Targets that are to be filled now. */
  get active(): readonly FillTarget[] {
    return this.orders.filter(({ paused }) => !paused).map(({ target }) => target);
  }

  /** The one that is filled first. */
  get first(): Readonly<Order> | undefined {
    return this.orders.find(({ paused }) => !paused);
  }

  /** Layers that are asked for. */
  get layers(): readonly string[] {
    return this.orders.flatMap(({ target }) => (target.kind === "layer" ? [target.layer] : []));
  }

  add(target: FillTarget): void {
    const isAlike = (other: FillTarget) => JSON.stringify(other) === JSON.stringify(target);
    if (!this.orders.some((order) => isAlike(order.target)))
      this.orders.push({ id: this.nextId++, target, paused: false });
  }

  pause(id: number, paused: boolean): void {
    const order = this.orders.find((one) => one.id === id);
    if (order) order.paused = paused;
  }

  /** @returns whether there was such an order */
  remove(id: number): boolean {
    const before = this.orders.length;
    this.orders = this.orders.filter((one) => one.id !== id);
    return this.orders.length < before;
  }

  clear(): void {
    this.orders = [];
  }

  /** How far each is. @param remainingOf time for the rest of a range; undefined where that is not known */
  status(
    timeline: PreviewTimeline,
    lanes: LayerLanes,
    remainingOf: (range: FrameRange) => Milliseconds | undefined,
  ): FillOrder[] {
    return this.orders.map((order) => {
      const { target } = order;
      const remainingMs = target.kind === "frames" ? remainingOf(target.range) : undefined;
      const rest = remainingMs === undefined ? {} : { remainingMs };
      return { ...order, ...progressOf(target, timeline, lanes), ...rest };
    });
  }
}

/** Frames of a target that are held, of those that it covers. */
export function progressOf(
  target: FillTarget,
  timeline: PreviewTimeline,
  lanes: LayerLanes,
): { readonly held: number; readonly total: number } {
  if (target.kind === "layer") return lanes.count(target.layer, target.range);
  const held = timeline.residency.subarray(target.range.in, target.range.out);
  return { held: held.reduce((sum, bits) => sum + Number(bits !== 0), 0), total: held.length };
}
