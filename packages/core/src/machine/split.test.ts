import fc from "fast-check";
import { mostParallel, splitMemory, type MemoryDemand } from "./split";

const GIB = 2 ** 30;

/** The machine of a tower: 32 GB, 4.4 for the system, 8.2 for other programs. */
const tower = (change: Partial<MemoryDemand> = {}): MemoryDemand => ({
  installedBytes: 32 * GIB,
  systemBytes: 4.4 * GIB,
  programsBytes: 8.2 * GIB,
  keptFreeBytes: 3.5 * GIB,
  workingBytes: 4 * GIB,
  cacheBytes: 10 * GIB,
  ...change,
});

test("of 32 GB, what others take, keeping 3.5 free and 4 for buffers leaves 11.9 for the cache, 1.9 of it not given out", () => {
  const split = splitMemory(tower());
  expect(split.mostCacheBytes / GIB).toBeCloseTo(11.9);
  expect(split.spareBytes / GIB).toBeCloseTo(1.9);
  expect(split).toMatchObject({ missingBytes: 0, limit: "installed memory" });
  // 10 % of 32 GB is 3.2 GB: above 12.2 GB of cache less than that is left.
  expect(split.swapEdgeBytes / GIB).toBeCloseTo(12.2);
});

test("a host that can address 4 GB caps cache and buffers together, and more memory would not help", () => {
  const limited = tower({ hostLimitBytes: 4 * GIB, workingBytes: 1.5 * GIB });
  expect(splitMemory(limited)).toMatchObject({ mostCacheBytes: 2.5 * GIB, limit: "host limit" });
  expect(splitMemory({ ...limited, installedBytes: 64 * GIB }).mostCacheBytes).toBe(2.5 * GIB);
  expect(splitMemory(tower({ hostLimitBytes: 64 * GIB })).limit).toBe("installed memory");
});

test("more frames in parallel take from the cache what their buffers need, byte for byte", () => {
  const one = splitMemory(tower({ workingBytes: GIB }));
  const three = splitMemory(tower({ workingBytes: 3 * GIB }));
  expect(one.mostCacheBytes - three.mostCacheBytes).toBe(2 * GIB);
  expect(mostParallel(one, 0.5 * GIB)).toBe(Math.floor((1 + 4.9) / 0.5));
  expect(mostParallel(splitMemory(tower({ cacheBytes: 40 * GIB })), GIB)).toBe(1);
});

const bytes = fc.integer({ min: 0, max: 2 ** 38 });

test("whatever is asked for, the parts add up to what is installed, and what may be given can be", () => {
  const demands = fc.record({
    installedBytes: bytes,
    systemBytes: bytes,
    programsBytes: bytes,
    keptFreeBytes: bytes,
    workingBytes: bytes,
    cacheBytes: bytes,
  });
  fc.assert(
    fc.property(demands, (demand) => {
      const split = splitMemory(demand);
      const { systemBytes, programsBytes, keptFreeBytes, workingBytes, cacheBytes } = demand;
      const given = systemBytes + programsBytes + keptFreeBytes + workingBytes + cacheBytes;
      expect(given + split.spareBytes - split.missingBytes).toBe(demand.installedBytes);
      expect(Math.min(split.spareBytes, split.missingBytes)).toBe(0);
      const full = splitMemory({ ...demand, cacheBytes: split.mostCacheBytes });
      if (split.mostCacheBytes > 0) expect(full.missingBytes).toBe(0);
    }),
  );
});
