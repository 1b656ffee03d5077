import { keyOf } from "../../../../testing/keys";
import { FakeDisk } from "../../../../testing/engine";
import type { HeldPicture } from "./frameStorage";
import { DiskStore } from "./diskStore";

const picture = (): HeldPicture => ({ width: 1, height: 1, depth: "8-bit", pixels: new Uint8Array([1, 2, 3, 4]) });

/** A store that has listed what is on disk, and what it told. */
async function open(disk = new FakeDisk()) {
  const told = {
    held: new Map<string, boolean>(),
    costs: [] as (readonly [string, number])[],
    notices: [] as string[],
    settled: [] as string[],
  };
  const store = new DiskStore(
    disk,
    { unreachable: "The server does not answer", back: "The server answers again" },
    {
      onKeys: (keys, held) => keys.forEach((key) => told.held.set(key, held)),
      onCosts: (costs) => told.costs.push(...costs),
      onChange: () => undefined,
      notice: (text) => told.notices.push(text),
    },
  );
  await store.refresh();
  const put = (n: number, { owner = "main", isGone = false } = {}) =>
    store.enqueue({
      key: keyOf(n),
      owner,
      location: "main",
      costMs: 10,
      picture: () => (isGone ? undefined : picture()),
      settled: () => told.settled.push(keyOf(n)),
    });
  return { disk, store, told, put };
}

beforeEach(() => jest.useFakeTimers());
afterEach(() => jest.useRealTimers());
const run = (ms: number) => jest.advanceTimersByTimeAsync(ms);

test("what is listed is held, with what rendering it took; what is gone from the next list is not", async () => {
  const disk = new FakeDisk();
  disk.frames.set(keyOf(1), picture());
  disk.frames.set(keyOf(2), picture());
  const { store, told } = await open(disk);
  expect(told.costs).toEqual([
    [keyOf(1), 100],
    [keyOf(2), 100],
  ]);
  disk.frames.delete(keyOf(1));
  disk.frames.set(keyOf(3), picture());
  await store.refresh();
  expect([1, 2, 3].map((n) => store.has(keyOf(n)))).toEqual([false, true, true]);
  expect(told.held.get(keyOf(1))).toBe(false);
});

test("frames are written one at a time, each once, and held when they are there", async () => {
  const { disk, store, told, put } = await open();
  [1, 2, 1, 3].forEach((n) => put(n));
  expect(store.queued).toBe(3);
  expect(disk.stores).toBe(1);
  expect(store.has(keyOf(1))).toBe(false);
  await run(100);
  expect(disk.stores).toBe(3);
  expect(told.settled).toEqual([1, 2, 3].map(keyOf));
  expect(store.queued).toBe(0);
  put(2);
  await run(100);
  expect(disk.stores).toBe(3);
});

test("while it is to be quiet nothing is begun; afterwards the rest follows", async () => {
  const { disk, store, put } = await open();
  store.setQuiet(true);
  put(1);
  put(2);
  await run(1000);
  expect(disk.stores).toBe(0);
  store.setQuiet(false);
  await run(100);
  expect(disk.stores).toBe(2);
});

test("a frame that memory has let go before its turn is given up without holding up the others", async () => {
  const { disk, told, put } = await open();
  put(1);
  put(2, { isGone: true });
  put(3);
  await run(100);
  expect([...disk.frames.keys()]).toEqual([keyOf(1), keyOf(3)]);
  expect(told.settled).toEqual([1, 2, 3].map(keyOf));
});

test("what waits for an owner is dropped, and nothing else", async () => {
  const { disk, store, told, put } = await open();
  store.setQuiet(true);
  put(1, { owner: "gone" });
  put(2);
  put(3, { owner: "gone" });
  store.drop("gone");
  expect(told.settled).toEqual([1, 3].map(keyOf));
  store.setQuiet(false);
  await run(100);
  expect([...disk.frames.keys()]).toEqual([keyOf(2)]);
});

test("when the server goes, everything it held and all that waits is given up; it is tried again", async () => {
  const { disk, store, told, put } = await open();
  put(1);
  await run(100);
  disk.failure = { kind: "unreachable", detail: "The server does not answer" };
  put(2);
  put(3);
  await run(100);
  expect(store.accepts("main")).toBe(false);
  expect(store.has(keyOf(1))).toBe(false);
  expect(told.held.get(keyOf(1))).toBe(false);
  expect(told.settled).toEqual(expect.arrayContaining([2, 3].map(keyOf)));
  await run(12_000);
  expect(told.notices).toHaveLength(1);
  disk.failure = undefined;
  await run(6000);
  expect(store.accepts("main")).toBe(true);
  expect(store.has(keyOf(1))).toBe(true);
  expect(told.notices).toHaveLength(2);
});

test.each(["cap-reached", "drive-full", "read-only", "not-writable", "missing"])(
  "at %s nothing more is sent until there may be room",
  async (code) => {
    const { disk, store, told, put } = await open();
    disk.failure = { kind: "refused", code, detail: "no room" };
    put(1);
    await run(100);
    expect(store.state).toEqual({ kind: "refused", detail: "no room" });
    const { stores } = disk;
    put(2);
    await run(1000);
    expect(disk.stores).toBe(stores);
    expect(told.notices).toEqual(["no room"]);
  },
);

test("a frame that cannot be read is no longer listed; the time that reading takes is learned", async () => {
  const disk = new FakeDisk();
  disk.frames.set(keyOf(1), picture());
  disk.frames.set(keyOf(2), picture());
  disk.damaged.add(keyOf(2));
  disk.fetchMs = 200;
  const { store, told } = await open(disk);
  const before = store.fetchMs;
  const fetched = store.fetch(keyOf(1));
  await run(300);
  expect((await fetched)?.pixels).toEqual(picture().pixels);
  expect(store.fetchMs).toBeGreaterThan(before);
  expect(store.readRate).toBeCloseTo(20);
  expect(await store.fetch(keyOf(2))).toBeUndefined();
  expect(store.has(keyOf(2))).toBe(false);
  expect(told.notices).toEqual(["A frame on disk was damaged; it has been removed and is rendered again."]);
});
