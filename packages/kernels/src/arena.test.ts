import fc from "fast-check";
import { Arena, type LinearMemory } from "./arena";

/** A memory that only counts. */
function counted(pages: number, most = 1000): LinearMemory & { pages: number } {
  return {
    pages,
    get buffer() {
      return { byteLength: this.pages * 65536 } as ArrayBuffer;
    },
    grow(by) {
      if (this.pages + by > most) throw new RangeError("out of memory");
      this.pages += by;
      return this.pages - by;
    },
  };
}

test("blocks never overlap, stay in memory, start on a cache line, and all come back", () => {
  const action = fc.oneof(fc.record({ bytes: fc.integer({ min: 1, max: 200_000 }) }), fc.record({ release: fc.nat() }));
  fc.assert(
    fc.property(fc.array(action, { maxLength: 120 }), (actions) => {
      const memory = counted(2);
      const arena = new Arena(memory, 1000);
      const blocks: { start: number; end: number }[] = [];
      for (const step of actions) {
        if ("bytes" in step) {
          const start = arena.allocate(step.bytes);
          const block = { start, end: start + step.bytes };
          expect(start % 64).toBe(0);
          expect(start).toBeGreaterThanOrEqual(1000);
          expect(block.end).toBeLessThanOrEqual(memory.pages * 65536);
          for (const other of blocks) expect(block.end <= other.start || block.start >= other.end).toBe(true);
          blocks.push(block);
        } else if (blocks.length > 0) {
          const [gone] = blocks.splice(step.release % blocks.length, 1);
          arena.release(gone!.start);
        }
      }
      for (const { start } of blocks) arena.release(start);
      expect(arena.usedBytes).toBe(0);
      // Everything is joined again: one block of nearly all of memory fits without growing.
      const before = memory.pages;
      arena.allocate(memory.pages * 65536 - 2048);
      expect(memory.pages).toBe(before);
    }),
  );
});

test("the peak is the most that was alive at one time", () => {
  const arena = new Arena(counted(100), 0);
  const first = arena.allocate(6400);
  const second = arena.allocate(640);
  arena.release(first);
  arena.allocate(64);
  expect([arena.usedBytes, arena.peakBytes]).toEqual([704, 7040]);
  arena.resetPeak();
  arena.release(second);
  expect(arena.peakBytes).toBe(704);
});

test("memory that cannot grow is an error that says how much was missing, and a foreign address is one too", () => {
  const arena = new Arena(counted(1, 2), 0);
  expect(() => arena.allocate(10 * 65536)).toThrow("The renderer needs 655360 bytes more memory than it can address");
  expect(() => arena.release(12345)).toThrow("No block at address 12345");
  expect(arena.allocate(65536)).toBe(0);
});
