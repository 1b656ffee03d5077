import { BOOKKEEPING_BYTES, MemoryCache, type EvictionContext } from "@kinetocache/core";
import type { Trace } from "./traces";

/** What a policy makes of a trace. */
interface Served {
  readonly hits: number;
  /** Time that rendering the rest takes. */
  readonly renderMs: number;
}

export type Policy = (trace: Trace) => Served;

/** @param request asks for a frame, which is held from then on; true when it was held */
function serve({ positions, costs }: Trace, request: (frame: number) => boolean): Served {
  let [hits, renderMs] = [0, 0];
  for (const position of positions) {
    if (request(position)) hits++;
    else renderMs += costs[position]!;
  }
  return { hits, renderMs };
}

/** Hits of the best policy that knows the whole future, on equal frames (Belady 1966), a newcomer included. */
export function optimalHits(sequence: readonly number[], room: number): number[] {
  const nextUse = new Array<number>(sequence.length);
  const last = new Map<number, number>();
  for (let at = sequence.length - 1; at >= 0; at--) {
    nextUse[at] = last.get(sequence[at]!) ?? Infinity;
    last.set(sequence[at]!, at);
  }
  const held = new Map<number, number>();
  const hits: number[] = [];
  sequence.forEach((frame, at) => {
    if (held.has(frame)) hits.push(at);
    held.set(frame, nextUse[at]!);
    if (held.size <= room) return;
    let victim = frame;
    for (const [one, next] of held) if (next > held.get(victim)!) victim = one;
    held.delete(victim);
  });
  return hits;
}

const FRAME_BYTES = 2_000_000;

/** The cache of the product, parked at each frame of the trace. */
export const own: Policy = (trace) => {
  const cache = new MemoryCache<number>(trace.room * (FRAME_BYTES + BOOKKEEPING_BYTES));
  return serve(trace, (frame) => {
    const key = String(frame);
    const context: EvictionContext = {
      mode: "free",
      distance: (other) => Math.abs(Number(other) - frame),
      inRange: () => true,
      demand: () => 1,
      isPinned: () => false,
    };
    if (cache.use(key, context) !== undefined) return true;
    cache.put(key, frame, FRAME_BYTES, trace.costs[frame]!, context);
    cache.use(key, context);
    return false;
  });
};

/** The first key of a map that is kept in the order of last use. */
const oldest = (held: Set<number>): number => held.values().next().value!;

const touch = (held: Set<number>, frame: number): boolean => {
  const was = held.delete(frame);
  held.add(frame);
  return was;
};

export const leastRecentlyUsed: Policy = (trace) => {
  const held = new Set<number>();
  return serve(trace, (frame) => {
    const was = touch(held, frame);
    if (held.size > trace.room) held.delete(oldest(held));
    return was;
  });
};

// Counts are halved after so many uses for each frame that memory holds.
const FADES_AFTER = 10;

/** The least often used goes, of several the one used least recently; counts fade. */
export const leastFrequentlyUsed: Policy = (trace) => {
  // In the order of last use, so that the first of equals is the one to go.
  const held = new Set<number>();
  const counts = new Map<number, number>();
  let uses = 0;
  return serve(trace, (frame) => {
    if (++uses % (FADES_AFTER * trace.room) === 0) for (const [one, count] of counts) counts.set(one, count / 2);
    counts.set(frame, (counts.get(frame) ?? 0) + 1);
    if (held.has(frame)) return touch(held, frame);
    if (held.size >= trace.room) {
      let victim = oldest(held);
      for (const one of held) if (counts.get(one)! < counts.get(victim)!) victim = one;
      held.delete(victim);
    }
    held.add(frame);
    return false;
  });
};

/** N. Megiddo and D. S. Modha, "ARC: a self-tuning, low overhead replacement cache" (2003), figure 4. */
export const adaptiveReplacement: Policy = (trace) => {
  const { room } = trace;
  const [t1, t2, b1, b2] = [new Set<number>(), new Set<number>(), new Set<number>(), new Set<number>()];
  let target = 0;
  const replace = (isInB2: boolean) => {
    const fromT1 = t1.size > 0 && (t1.size > target || (isInB2 && t1.size === target));
    const from = fromT1 || t2.size === 0 ? t1 : t2;
    const victim = oldest(from);
    from.delete(victim);
    (from === t1 ? b1 : b2).add(victim);
  };
  return serve(trace, (frame) => {
    if (t1.delete(frame) || t2.delete(frame)) {
      t2.add(frame);
      return true;
    }
    if (b1.has(frame) || b2.has(frame)) {
      const isInB2 = b2.has(frame);
      target = isInB2
        ? Math.max(0, target - Math.max(1, b1.size / b2.size))
        : Math.min(room, target + Math.max(1, b2.size / b1.size));
      replace(isInB2);
      (isInB2 ? b2 : b1).delete(frame);
      t2.add(frame);
      return false;
    }
    const recent = t1.size + b1.size;
    const all = recent + t2.size + b2.size;
    if (recent === room) {
      if (t1.size < room) {
        b1.delete(oldest(b1));
        replace(false);
      } else t1.delete(oldest(t1));
    } else if (all >= room) {
      if (all === 2 * room) b2.delete(oldest(b2));
      replace(false);
    }
    t1.add(frame);
    return false;
  });
};
