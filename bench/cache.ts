import { BOOKKEEPING_BYTES, MemoryCache, simulateLoop } from "@kinetocache/core";
import type { Measure } from "./figure";
import { rounded } from "./ratio";

/** Hits of a loop of 240 frames with room for 200, once it has settled, on the scheduler of the live engine. */
export const loopHitShare: Measure = () => {
  const base = { frames: 240, room: 200, passes: 8, budgetMs: 1000 / 24, renderMs: 60, workers: 2 };
  const share = (eviction: "playback" | "leastRecentlyUsed") =>
    simulateLoop({ ...base, eviction }).at(-1)!.hits / base.frames;
  return Promise.resolve({
    value: rounded(share("playback")),
    unit: "share",
    limit: "at least 0.82",
    leastRecentlyUsed: rounded(share("leastRecentlyUsed")),
    frames: base.frames,
    room: base.room,
  });
};

/** Growth of the process against the pixels held, with half-size frames and a full cache. */
export const cacheOverhead: Measure = () => {
  const frameBytes = 960 * 540 * 4;
  const frames = 500;
  const settle = () => {
    for (let n = 0; n < 4; n++) globalThis.gc?.();
  };
  settle();
  const before = process.memoryUsage().rss;
  const cache = new MemoryCache<Uint8Array>(frames * (frameBytes + BOOKKEEPING_BYTES));
  // Half as many again as it holds, so that what was evicted must really have been given back.
  for (let n = 0; n < frames * 1.5; n++) {
    cache.put(String(n), new Uint8Array(frameBytes).fill(n & 255), frameBytes, 50, { mode: "leastRecentlyUsed" });
    if (n % 50 === 0) settle();
  }
  settle();
  const grown = process.memoryUsage().rss - before;
  const pixelBytes = cache.size * frameBytes;
  return Promise.resolve({
    value: rounded(grown / pixelBytes, 4),
    unit: "ratio",
    limit: "at most 1.05",
    pixelBytes,
    processBytes: grown,
    frames: cache.size,
  });
};
