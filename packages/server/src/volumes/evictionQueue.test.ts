import type { EvictionRule } from "@kinetocache/core";
import fc from "fast-check";
import { EvictionQueue, ORDERS } from "./evictionQueue";
import type { StoredFrame } from "./storedFrame";

const SPARE_MS = 600_000;
const HOUR_MS = 3_600_000;

/** The part of an index that the order needs, with how often it was asked for all. */
class Index {
  readonly frames = new Map<string, StoredFrame>();
  asked = 0;

  add(n: number, lastUsedMs: number, costMs = 10): void {
    const key = String(n);
    this.frames.set(key, { key, crc: 0, costMs, format: "pam", owner: "main", size: 1000, lastUsedMs } as StoredFrame);
  }

  all(): StoredFrame[] {
    this.asked++;
    return [...this.frames.values()];
  }

  get(key: string): StoredFrame | undefined {
    return this.frames.get(key);
  }

  /** What would go by sorting all of them now. */
  first(rule: EvictionRule, nowMs: number): string | undefined {
    const old = [...this.frames.values()].filter(({ lastUsedMs }) => nowMs - lastUsedMs >= SPARE_MS);
    return old.sort(ORDERS[rule])[0]?.key;
  }
}

const step = fc.record({
  passMs: fc.constantFrom(0, 5, 400, 30_000, 700_000),
  act: fc.constantFrom("add", "use", "evict", "evict", "remove"),
  which: fc.nat(1000),
  costMs: fc.integer({ min: 1, max: 50 }),
});

test.each([
  ["least recently used", 1],
  // Those that were spared when the order was worked out may be quicker: they count a minute later.
  ["quickest to render again", HOUR_MS],
] as const)("%s: what goes is what sorting all of them would say", (rule, pause) => {
  fc.assert(
    fc.property(fc.array(step, { maxLength: 120 }), (steps) => {
      const index = new Index();
      const queue = new EvictionQueue(index);
      // No two are used at one instant, so that there is but one order.
      let nowMs = HOUR_MS;
      for (const [n, { passMs, act, which, costMs }] of steps.entries()) {
        nowMs += passMs + pause;
        const keys = [...index.frames.keys()];
        const key = keys[which % Math.max(1, keys.length)];
        if (act === "add") index.add(n, nowMs, costMs + n / 1000);
        else if (act === "evict") {
          const expected = index.first(rule, nowMs);
          expect(queue.next({ rule, spareMs: SPARE_MS }, nowMs)?.key).toBe(expected);
          if (expected !== undefined) index.frames.delete(expected);
        } else if (key !== undefined && act === "use") index.frames.get(key)!.lastUsedMs = nowMs;
        else if (key !== undefined) index.frames.delete(key);
      }
    }),
  );
});

test("a full location is not sorted for each frame that comes", () => {
  const index = new Index();
  for (let n = 0; n < 5000; n++) index.add(n, n);
  const queue = new EvictionQueue(index);
  for (let n = 0; n < 3000; n++) {
    const nowMs = HOUR_MS + n;
    index.add(5000 + n, nowMs);
    const gone = queue.next({ rule: "least recently used", spareMs: SPARE_MS }, nowMs)!;
    expect(gone.key).toBe(String(n));
    index.frames.delete(gone.key);
  }
  expect(index.asked).toBe(1);
});

test("another rule, and another spared time, are in force at once; what is spared never goes", () => {
  const index = new Index();
  index.add(1, 0, 50);
  index.add(2, 1, 5);
  index.add(3, HOUR_MS, 1);
  const queue = new EvictionQueue(index);
  const next = (rule: EvictionRule, spareMs: number) => queue.next({ rule, spareMs }, HOUR_MS + 1)?.key;
  expect(next("least recently used", SPARE_MS)).toBe("1");
  expect(next("quickest to render again", SPARE_MS)).toBe("2");
  expect(next("quickest to render again", 0)).toBe("3");
  index.frames.delete("1");
  index.frames.delete("2");
  expect(next("least recently used", SPARE_MS)).toBeUndefined();
});
