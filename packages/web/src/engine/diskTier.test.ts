import { FakeDisk } from "../../../../testing/engine";
import { keyOf } from "../../../../testing/keys";
import { DiskTier, storageAt, type Candidate } from "./diskTier";
import type { StoragePolicy } from "./protocol/command";

const policy = (change: Partial<StoragePolicy> = {}): StoragePolicy => ({
  location: "main",
  store: "Always",
  storeSlow: false,
  ...change,
});
const picture = () => ({ width: 1, height: 1, depth: "8-bit" as const, pixels: new Uint8Array([1, 2, 3, 4]) });
const candidate = (n: number, change: Partial<Candidate> = {}): Candidate => ({
  key: keyOf(n),
  owner: "main",
  costMs: 10,
  inBackground: true,
  picture,
  settled: () => undefined,
  ...change,
});

async function open(server = new FakeDisk("main"), browser = new FakeDisk("browser")) {
  const held = new Map<string, boolean>();
  const tier = new DiskTier(
    { server, browser },
    {
      onKeys: (keys, isHeld) => keys.forEach((key) => held.set(key, isHeld)),
      onCosts: () => undefined,
      onChange: () => undefined,
      notice: () => undefined,
    },
  );
  await tier.refresh();
  return { server, browser, tier, held };
}

beforeEach(() => jest.useFakeTimers());
afterEach(() => jest.useRealTimers());
const run = (ms: number) => jest.advanceTimersByTimeAsync(ms);

test("a location belongs to the browser or to the server", () => {
  const ports = { server: 1, browser: 2 };
  expect([storageAt(ports, "browser"), storageAt(ports, "main"), storageAt(ports, "8d1f")]).toEqual([2, 1, 1]);
});

test("frames are written to the place that is chosen; what waits for another is given up", async () => {
  const { tier, server, browser } = await open();
  tier.setQuiet(true);
  tier.offer(candidate(1));
  expect(tier.queued).toBe(1);
  tier.configure(policy({ location: "browser" }));
  expect(tier.queued).toBe(0);
  tier.setQuiet(false);
  tier.offer(candidate(2));
  await run(100);
  expect([server.frames.size, browser.frames.size]).toEqual([0, 1]);
});

test("a frame that both hold is there until neither does", async () => {
  const [server, browser] = [new FakeDisk("main"), new FakeDisk("browser")];
  for (const disk of [server, browser]) disk.frames.set(keyOf(1), picture());
  const { tier, held } = await open(server, browser);
  browser.frames.clear();
  await tier.refresh();
  expect(tier.has(keyOf(1))).toBe(true);
  expect(held.get(keyOf(1))).toBe(true);
  server.frames.clear();
  await tier.refresh();
  expect(held.get(keyOf(1))).toBe(false);
});

test("what the browser cannot give any more comes from the server, where it is there too", async () => {
  const [server, browser] = [new FakeDisk("main"), new FakeDisk("browser")];
  for (const disk of [server, browser]) disk.frames.set(keyOf(1), picture());
  browser.damaged.add(keyOf(1));
  const { tier } = await open(server, browser);
  const fetched = tier.fetch(keyOf(1));
  await run(100);
  expect((await fetched)?.location).toBe("main");
});

test("a moved frame is read from its new place, and is held all the time", async () => {
  const server = new FakeDisk("main");
  server.frames.set(keyOf(1), picture());
  const { tier, browser, held } = await open(server);
  browser.frames.set(keyOf(1), picture());
  const told: boolean[] = [];
  held.set = (key, isHeld) => {
    told.push(isHeld);
    return Map.prototype.set.call(held, key, isHeld) as typeof held;
  };
  tier.noteMoved(keyOf(1), "main", "browser");
  expect(told).toEqual([true]);
  const fetched = tier.fetch(keyOf(1));
  await run(100);
  expect((await fetched)?.location).toBe("browser");
});

test("never, in background and always mean what they say", async () => {
  const { tier } = await open();
  const wants = (store: StoragePolicy["store"]) => {
    tier.configure(policy({ store }));
    return [true, false].map((inBackground) => tier.wants(10, inBackground));
  };
  expect(wants("Always")).toEqual([true, true]);
  expect(wants("In background")).toEqual([true, false]);
  expect(wants("Never")).toEqual([false, false]);
});

test("frames that read back slower than they render are counted once each, until that is overruled", async () => {
  const server = new FakeDisk("main");
  server.frames.set(keyOf(1), picture());
  server.fetchMs = 500;
  const { tier } = await open(server);
  // Nothing is known of reading yet.
  expect(tier.wants(1, true)).toBe(true);
  const fetched = tier.fetch(keyOf(1));
  await run(600);
  await fetched;
  for (const n of [2, 3, 2]) tier.offer(candidate(n));
  expect(tier.notWorth).toBe(2);
  expect(tier.wants(100_000, true)).toBe(true);
  tier.configure(policy({ storeSlow: true }));
  expect([tier.notWorth, tier.wants(1, true)]).toEqual([0, true]);
});
