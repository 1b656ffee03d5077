import fc from "fast-check";
import { BOOKKEEPING_BYTES } from "../machine";
import { likelihood, worth, worthParts, type Candidate, type EvictionContext, type FreeContext } from "./eviction";
import { MemoryCache } from "./memoryCache";

const lru: EvictionContext = { mode: "leastRecentlyUsed" };
const inOrderFrom = (playhead: number, length: number): EvictionContext => ({
  mode: "playback",
  nextUse: (key) => (Number(key) - playhead + length) % length,
  isPinned: () => false,
});
const free = (playhead: number): FreeContext => ({
  mode: "free",
  distance: (key) => Math.abs(Number(/\d+/.exec(key)![0]) - playhead),
  inRange: () => true,
  demand: () => 1,
  isPinned: () => false,
});
const SIZE = 1000;
const roomFor = (frames: number) => frames * (SIZE + BOOKKEEPING_BYTES);
const filled = (frames: readonly number[], room: number, context: EvictionContext = lru) => {
  const cache = new MemoryCache<number>(roomFor(room));
  for (const frame of frames) cache.put(String(frame), frame, SIZE, 10, context);
  return cache;
};
const heldBy = (cache: MemoryCache<number>) =>
  [...cache.keys()].map((key) => Number(/\d+/.exec(key)![0])).sort((a, b) => a - b);

test("in playback the frame that is needed last goes first", () => {
  const cache = filled([0, 1, 2, 3], 4);
  const { evicted } = cache.put("5", 5, SIZE, 10, inOrderFrom(4, 10));
  expect(evicted).toEqual(["3"]);
});

test("a newcomer that is needed later than all that is held is not taken in", () => {
  const cache = filled([5, 6, 7], 3);
  expect(cache.put("4", 4, SIZE, 10, inOrderFrom(5, 10))).toEqual({ admitted: false, evicted: [] });
  expect(heldBy(cache)).toEqual([5, 6, 7]);
});

test("away from playback, near, dear and often seen frames stay", () => {
  const far = filled([10, 11, 90], 3, free(10));
  far.put("12", 12, SIZE, 10, free(10));
  expect(heldBy(far)).toEqual([10, 11, 12]);

  const dear = new MemoryCache<number>(roomFor(2));
  dear.put("1", 1, SIZE, 500, free(1));
  dear.put("2", 2, SIZE, 5, free(1));
  dear.put("3", 3, SIZE, 500, free(1));
  expect(heldBy(dear)).toEqual([1, 3]);

  const seen = filled([1, 2], 2, free(0));
  for (let n = 0; n < 5; n++) seen.use("2", free(0));
  seen.put("3", 3, SIZE, 10, free(0));
  expect(heldBy(seen)).toEqual([2, 3]);
});

test("what is not on the timeline goes before what is", () => {
  const context: EvictionContext = {
    mode: "free",
    distance: (key) => (key === "1" ? undefined : 40),
    inRange: () => false,
    demand: () => 1,
    isPinned: () => false,
  };
  const cache = filled([1, 2], 2, context);
  expect(cache.put("3", 3, SIZE, 10, context).evicted).toEqual(["1"]);
});

test("frames used long ago lose against new ones in the end, however dear they were", () => {
  const cache = new MemoryCache<number>(roomFor(3));
  const context = free(0);
  cache.put("900", 900, SIZE, 30, context);
  let survived = 0;
  for (let n = 1; n < 400 && cache.has("900"); n++, survived++) {
    cache.put(String(n % 7), n, SIZE, 10, context);
    cache.use(String(n % 7));
  }
  expect(survived).toBeLessThan(399);
});

test("a lower budget takes effect at once and gives every payload back", () => {
  const released: number[] = [];
  const cache = new MemoryCache<number>(roomFor(4), (payload) => released.push(payload));
  for (const frame of [0, 1, 2, 3]) cache.put(String(frame), frame, SIZE, 10, lru);
  expect(cache.setBudget(roomFor(2), inOrderFrom(1, 4))).toEqual(["0", "3"]);
  expect(released).toEqual([0, 3]);
  expect(cache.usedBytes).toBe(roomFor(2));
  cache.setBudget(0, { mode: "leastRecentlyUsed" });
  expect([cache.usedBytes, released.length]).toEqual([0, 4]);
});

test("a frame larger than the budget is refused and throws nothing out", () => {
  const cache = filled([1, 2], 2);
  expect(cache.put("9", 9, SIZE * 50, 10, lru).admitted).toBe(false);
  expect(cache.size).toBe(2);
});

test("whatever is done, the cache behaves like a naive list and keeps to its budget", () => {
  const key = fc.integer({ min: 0, max: 12 });
  const action = fc.oneof(
    fc.record({ kind: fc.constant("put" as const), key, size: fc.integer({ min: 1, max: 4000 }) }),
    fc.record({ kind: fc.constant("use" as const), key }),
    fc.record({ kind: fc.constant("remove" as const), key }),
    fc.record({ kind: fc.constant("budget" as const), budget: fc.integer({ min: 0, max: 20_000 }) }),
  );
  fc.assert(
    fc.property(fc.array(action, { maxLength: 80 }), (actions) => {
      let live = 0;
      const cache = new MemoryCache<number>(10_000, () => live--);
      // Least recently used first.
      let naive: { key: string; size: number }[] = [];
      let budget = 10_000;
      const total = () => naive.reduce((sum, { size }) => sum + size, 0);
      for (const step of actions) {
        if (step.kind === "put") {
          const [name, size] = [String(step.key), step.size + BOOKKEEPING_BYTES];
          const { admitted } = cache.put(name, step.key, step.size, 1, lru);
          if (admitted) live++;
          expect(admitted).toBe(!naive.some((entry) => entry.key === name) && size <= budget);
          if (admitted) {
            while (total() + size > budget) naive.shift();
            naive.push({ key: name, size });
          }
        } else if (step.kind === "use") {
          const name = String(step.key);
          const entry = naive.find((one) => one.key === name);
          expect(cache.use(name)).toBe(entry ? step.key : undefined);
          if (entry) naive = [...naive.filter((one) => one !== entry), entry];
        } else if (step.kind === "remove") {
          const name = String(step.key);
          expect(cache.remove(name)).toBe(naive.some((one) => one.key === name));
          naive = naive.filter((one) => one.key !== name);
        } else {
          budget = step.budget;
          cache.setBudget(budget, lru);
          while (total() > budget) naive.shift();
        }
        expect([...cache.keys()].sort()).toEqual(naive.map((entry) => entry.key).sort());
        expect(cache.usedBytes).toBe(total());
        expect(cache.usedBytes).toBeLessThanOrEqual(budget);
        expect(live).toBe(cache.size);
      }
    }),
  );
});

test("worth follows its formula", () => {
  const usage = { uses: 3, at: 90, isUnseen: false, credits: [2, 2.5, 3], order: 7 };
  const candidate: Candidate = { key: "1", kind: "frame", bytes: 2000, costMs: 100, usage };
  const parts = worthParts("1", free(4));
  const likely = (of: Candidate, habit: "near" | 0 | 1 | 2) => likelihood(of, parts, habit, 100);
  expect(likely(candidate, "near")).toBeCloseTo(2 / (1 + 10 + 2.5 * 3));
  expect(likely(candidate, 0)).toBeCloseTo(2 * 2 * 2 ** (-10 / 64));
  // What was never shown is judged by nearness, whatever the habit.
  const unseen = { ...candidate, usage: { ...usage, isUnseen: true, uses: 0, credits: [0, 0, 0] } };
  expect(likely(unseen, 2)).toBe(likely(unseen, "near"));
  expect(worth(candidate, free(4), "near", 100)).toBeCloseTo(Math.log2(2 / 18.5) + 0.22 * Math.log2(100 / 2000));
  expect(worth(candidate, lru, "near", 100)).toBe(7);
  expect(worth(candidate, inOrderFrom(0, 10), "near", 100)).toBe(-1);
});

/** Goes through positions, each of which is rendered when it is not held. @returns how many were held */
const walk = (cache: MemoryCache<number>, positions: readonly number[]) => {
  let hits = 0;
  for (const position of positions) {
    const key = String(position);
    const context = { ...free(position), distance: (other: string) => Math.abs(Number(other) - position) };
    if (cache.use(key, context) !== undefined) hits++;
    else {
      cache.put(key, position, SIZE, 10, context);
      cache.use(key, context);
    }
  }
  return hits;
};

test("it learns that the user comes back to some frames again and again, however far apart, and unlearns it", () => {
  const cache = new MemoryCache<number>(roomFor(20));
  // Ten frames that every second jump goes to; the others come once.
  const jumps = Array.from({ length: 4000 }, (_, at) => (at % 2 === 0 ? ((at / 2) % 10) * 1000 : 20_000 + at * 50));
  walk(cache, jumps);
  expect(walk(cache, jumps.slice(0, 20))).toBe(10);
  // Now he scrubs to and fro, far from there.
  const scrub = Array.from({ length: 4000 }, (_, at) => 50_000 + Math.abs((at % 36) - 18));
  walk(cache, scrub);
  expect(walk(cache, scrub.slice(0, 36))).toBeGreaterThan(33);
});

test("what was used hundreds of times long ago does not hold its place against the present", () => {
  const cache = new MemoryCache<number>(roomFor(10));
  walk(
    cache,
    Array.from({ length: 5000 }, (_, at) => at % 10),
  );
  const present = Array.from({ length: 2000 }, (_, at) => 500 + (at % 10));
  walk(cache, present);
  expect(walk(cache, present.slice(0, 10))).toBe(10);
});

test("a frame that is shown for the first time counts one use, and its admission none", () => {
  const cache = filled([1], 2, free(1));
  expect(cache.standing("1", free(1))).toMatchObject({ uses: 0 });
  cache.use("1", free(1));
  expect(cache.standing("1", free(1))).toMatchObject({ uses: 1 });
});

test("a large cache is followed in part only, and serves as well", () => {
  const frames = 640;
  const cache = new MemoryCache<number>(roomFor(560));
  const there = Array.from({ length: frames }, (_, at) => at);
  const positions = [...there, ...there.reverse()];
  walk(cache, positions);
  // Of a way there and back the best that a room for 560 of 640 can do is to miss 80 of each.
  expect(walk(cache, positions)).toBeGreaterThan(2 * 530);
});

test("a pinned entry goes last, in every mode, and only when nothing else is left", () => {
  for (const context of [inOrderFrom(0, 10), free(0)] as const) {
    const pinned = { ...context, isPinned: (key: string) => key === "9" };
    const cache = filled([9, 1], 2, pinned);
    // By the rule alone the ninth goes: it is needed last, and it is the furthest.
    cache.put("2", 2, SIZE, 500, pinned);
    expect(cache.has("9")).toBe(true);
    cache.setBudget(roomFor(1), pinned);
    expect(heldBy(cache)).toEqual([9]);
    cache.setBudget(0, pinned);
    expect(cache.size).toBe(0);
  }
});

test("during playback finished frames stay and layers' pixels go; parked, a branch that many frames show stays", () => {
  const playing = filled([1, 2], 3, inOrderFrom(0, 10));
  playing.put("5", 5, SIZE, 500, inOrderFrom(0, 10), "branch");
  expect(playing.put("8", 8, SIZE, 1, inOrderFrom(0, 10)).evicted).toEqual(["5"]);

  const still = { ...free(0), demand: (key: string) => (key === "7" ? 200 : 1) };
  const parked = filled([1], 2, still);
  parked.put("7", 7, SIZE, 10, still, "branch");
  expect(parked.put("2", 2, SIZE, 10, still).evicted).not.toContain("7");
});

test("where an entry stands is how many go before it, by worth", () => {
  const cache = filled([10, 40, 90], 3, free(10));
  const order = () => ["10", "40", "90"].map((key) => cache.standing(key, free(10))!.before);
  expect(order()).toEqual([2, 1, 0]);
  expect(cache.standing("11", free(10))).toBeUndefined();
  // What stands first is what goes.
  expect(cache.put("11", 11, SIZE, 10, free(10)).evicted).toEqual(["90"]);
});

test("layers' pixels that come in passing never push out frames that are worth more, however often they come", () => {
  const cache = filled([0, 1, 2], 4, free(0));
  for (let frame = 10; frame < 60; frame++) {
    cache.put(`branch ${frame}`, frame, SIZE, 4, free(0), "branch");
    cache.put("3", 3, SIZE, 10, free(0));
    cache.remove("3");
  }
  expect(heldBy(cache).filter((frame) => frame < 10)).toEqual([0, 1, 2]);
});
