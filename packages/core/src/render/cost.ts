import type { Milliseconds } from "../composition";
import { inOrder, type ContentKey, type GraphNode, type NodeKind } from "../graph";
import { workUnits } from "./work";

/** One measured evaluation of a node. */
export interface CostSample {
  readonly key: ContentKey;
  readonly kind: NodeKind;
  readonly layer: string | null;
  /** Pixels times work factor. */
  readonly units: number;
  readonly ms: Milliseconds;
}

/** What a node took. */
export function costSample(node: GraphNode, ms: Milliseconds): CostSample {
  return { key: node.key, kind: node.kind, layer: node.layer, units: workUnits(node), ms };
}

/** Running sums of a least-squares line. */
interface Fit {
  n: number;
  x: number;
  y: number;
  xx: number;
  xy: number;
}

// Older samples fade, so that the model follows a machine that slows down; about the last 200 count.
const FADE = 0.995;

/**
 * Cost of a node as a + b · units, fitted by least squares to what was measured on this machine, per kind.
 * a and b are never negative.
 */
export class CostModel {
  private readonly fits = new Map<NodeKind, Fit>();

  add({ kind, units, ms }: CostSample): void {
    const fit = this.fits.get(kind) ?? { n: 0, x: 0, y: 0, xx: 0, xy: 0 };
    fit.n = fit.n * FADE + 1;
    fit.x = fit.x * FADE + units;
    fit.y = fit.y * FADE + ms;
    fit.xx = fit.xx * FADE + units * units;
    fit.xy = fit.xy * FADE + units * ms;
    this.fits.set(kind, fit);
  }

  /** What a node of a kind took on average, and of how much work. @returns undefined while none was measured */
  mean(kind: NodeKind): { readonly units: number; readonly ms: Milliseconds } | undefined {
    const fit = this.fits.get(kind);
    return fit && { units: fit.x / fit.n, ms: fit.y / fit.n };
  }

  /** @returns undefined while nothing of the kind was measured */
  coefficients(kind: NodeKind): { readonly a: Milliseconds; readonly b: number } | undefined {
    const fit = this.fits.get(kind);
    if (!fit || fit.x === 0) return undefined;
    const spread = fit.n * fit.xx - fit.x * fit.x;
    // All samples of one size leave the slope open: take the line through the origin then.
    const slope = spread > 1e-9 * fit.n * fit.xx ? (fit.n * fit.xy - fit.x * fit.y) / spread : fit.y / fit.x;
    const offset = (fit.y - slope * fit.x) / fit.n;
    if (slope < 0) return { a: fit.y / fit.n, b: 0 };
    if (offset < 0) return { a: 0, b: fit.xy / fit.xx };
    return { a: offset, b: slope };
  }

  /** Estimated cost of a node by itself. */
  estimate(node: GraphNode): Milliseconds | undefined {
    const line = this.coefficients(node.kind);
    return line && line.a + line.b * workUnits(node);
  }

  /**
   * Estimated cost of a frame, in all and by layer, without the nodes in `still`, which are held. Kinds never
   * measured count nothing.
   */
  estimateFrame(
    root: GraphNode,
    still: ReadonlySet<ContentKey>,
  ): { readonly total: Milliseconds; readonly byLayer: ReadonlyMap<string, Milliseconds> } {
    let total = 0;
    const byLayer = new Map<string, Milliseconds>();
    for (const node of inOrder(root)) {
      if (still.has(node.key)) continue;
      const ms = this.estimate(node) ?? 0;
      total += ms;
      if (node.layer !== null) byLayer.set(node.layer, (byLayer.get(node.layer) ?? 0) + ms);
    }
    return { total, byLayer };
  }
}
