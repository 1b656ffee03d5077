import fc from "fast-check";
import type { HeldPicture } from "./frameStorage";
import { HeldFrames } from "./heldFrames";
import { newPixels, SparePixels } from "./pixels";

const PLAIN = { mode: "leastRecentlyUsed" } as const;
const BOOKKEEPING = 512;
const picture = (bytes: number): HeldPicture => ({
  width: 1,
  height: bytes / 4,
  depth: "8-bit",
  pixels: newPixels(bytes),
});

test("whatever happens, the budget holds, and what was said to be held is what is held", () => {
  const step = fc.oneof(
    fc.record({ kind: fc.constant("put" as const), key: fc.nat(30), size: fc.integer({ min: 1, max: 50 }) }),
    fc.record({ kind: fc.constant("hand" as const), key: fc.nat(30), size: fc.constant(4) }),
    fc.record({ kind: fc.constant("letGo" as const), key: fc.nat(30), size: fc.constant(0) }),
    fc.record({ kind: fc.constant("budget" as const), key: fc.constant(0), size: fc.nat(40) }),
  );
  fc.assert(
    fc.property(fc.array(step, { maxLength: 60 }), (steps) => {
      const said = new Map<string, boolean>();
      const held = new HeldFrames((key, isHeld) => said.set(key, isHeld), new SparePixels(0));
      held.setBudget(20_000, PLAIN);
      for (const { kind, key, size } of steps) {
        const name = String(key);
        if (kind === "put" && !held.has(name)) held.put(name, picture(size * 100), 10, PLAIN);
        else if (kind === "hand" && !held.has(name)) held.keepOverflow(name, picture(size), true);
        else if (kind === "letGo") held.letGo(name);
        else if (kind === "budget") held.setBudget(size * 1000, PLAIN);
        expect(held.usedBytes).toBeLessThanOrEqual(held.budgetBytes);
        for (const [known, isHeld] of said) expect(held.has(known)).toBe(isHeld);
      }
    }),
  );
});

test("what the cache lets go is emptied at once", () => {
  const held = new HeldFrames(() => undefined, new SparePixels(0));
  held.setBudget(1000 + BOOKKEEPING, PLAIN);
  const first = picture(1000);
  expect(held.put("a", first, 10, PLAIN)).toBe(true);
  expect(held.put("b", picture(1000), 10, PLAIN)).toBe(true);
  expect(first.pixels.buffer.byteLength).toBe(0);
});

test("a frame of the overflow stays until it is let go, whatever becomes of the cache; the one on show stays longest", () => {
  const held = new HeldFrames(() => undefined, new SparePixels(0));
  held.keepOverflow("shown", picture(4), true);
  held.keepOverflow("other", picture(4), false);
  held.setBudget(0, PLAIN);
  expect(held.use("shown", PLAIN)).toBeDefined();
  const other = held.peek("other")!;
  expect(held.overflowBytes).toBe(8);
  held.letGoAll(["shown"]);
  expect(held.overflowKeys).toEqual(["shown"]);
  expect(other.pixels.buffer.byteLength).toBe(0);
  expect(held.overflowBytes).toBe(4);
});

describe("layers' finished pixels", () => {
  const branch = (key: string, bytes = 1600) => ({
    key,
    window: { x: 0, y: 0, width: bytes / 16, height: 1 },
    pixels: newPixels(bytes),
    layer: "title",
    costMs: 20,
  });
  const open = () => {
    const said: string[] = [];
    const held = new HeldFrames((key, isHeld) => said.push(`${key} ${isHeld}`), new SparePixels(0));
    held.setBudget(10_000, PLAIN);
    return { held, said };
  };

  test("share the budget with frames and are counted apart", () => {
    const { held, said } = open();
    held.put("frame", picture(1000), 10, PLAIN);
    expect(held.putBranch(branch("a"), PLAIN)).toBe(true);
    expect([held.size, held.branchCount, held.branchBytes]).toEqual([1, 1, 1600]);
    expect(held.usedBytes).toBe(2600 + 2 * BOOKKEEPING);
    expect(held.use("a", PLAIN)).toBeUndefined();
    held.setBudget(0, PLAIN);
    expect([held.size, held.branchCount, held.branchBytes, held.usedBytes]).toEqual([0, 0, 0, 0]);
    expect(said).toEqual(["frame true", "a true", "frame false", "a false"]);
  });

  test("are lent to one at a time, and come back as they were", () => {
    const { held } = open();
    held.putBranch(branch("a"), PLAIN);
    const lent = held.lend("a")!;
    expect(held.lend("a")).toBeUndefined();
    expect(held.lend("b")).toBeUndefined();
    held.takeBack(lent);
    expect(held.lend("a")?.pixels).toBe(lent.pixels);
  });

  test("what had to go while it was lent is emptied when it comes back; what does not come back is not held", () => {
    const { held, said } = open();
    held.putBranch(branch("a"), PLAIN);
    const lent = held.lend("a")!;
    held.setBudget(0, PLAIN);
    expect(lent.pixels.byteLength).toBe(1600);
    held.takeBack(lent);
    expect(lent.pixels.buffer.byteLength).toBe(0);
    held.setBudget(10_000, PLAIN);
    held.putBranch(branch("b"), PLAIN);
    held.lend("b");
    held.lose("b");
    expect([held.has("b"), held.branchCount, said.at(-1)]).toEqual([false, 0, "b false"]);
  });

  test("one that is not taken in is emptied at once", () => {
    const { held } = open();
    const large = branch("a", 16_000);
    expect(held.wouldTake("a", 16_000, 20, PLAIN)).toBe(false);
    expect(held.putBranch(large, PLAIN)).toBe(false);
    expect(large.pixels.buffer.byteLength).toBe(0);
  });
});
