import { FULL_QUALITY } from "@kinetocache/core";
import type { RenderOutcome, RenderRequest } from "./protocol";
import { RenderPool } from "./renderPool";
import type { RenderResources } from "./resources";

/** Stands in for a render worker. */
class FakeWorker {
  readonly requests: RenderRequest[] = [];
  isTerminated = false;
  onmessage: ((event: { data: RenderOutcome }) => void) | null = null;
  onerror: ((event: { message: string; preventDefault: () => void }) => void) | null = null;

  /** It ends by itself. */
  die(message = ""): void {
    this.onerror!({ message, preventDefault: () => undefined });
  }

  postMessage(request: RenderRequest): void {
    this.requests.push(request);
  }

  terminate(): void {
    this.isTerminated = true;
  }

  get kinds(): string[] {
    return this.requests.map(({ kind }) => kind);
  }
}

const RESOURCES = {} as RenderResources;

function rig(loadResources: () => Promise<RenderResources> = () => Promise.resolve(RESOURCES)) {
  const workers: FakeWorker[] = [];
  const outcomes: RenderOutcome[] = [];
  const startWorker = () => {
    const worker = new FakeWorker();
    workers.push(worker);
    return worker as unknown as Worker;
  };
  const pool = new RenderPool(startWorker, loadResources, (outcome) => outcomes.push(outcome));
  pool.resize(1);
  const render = (job: number) => pool.render(job, { frame: job, settings: FULL_QUALITY });
  return { pool, workers, outcomes, render };
}

beforeEach(() => jest.useFakeTimers());
afterEach(() => jest.useRealTimers());

test("a worker that dies is said with its job, replaced, and told all that the one before knew", async () => {
  const { pool, workers, outcomes, render } = rig();
  pool.setDecoding("graphics");
  render(1);
  workers[0]!.die("Uncaught Error: out of memory");
  expect(outcomes).toEqual([
    { kind: "failed", job: 1, reason: "A render worker stopped: out of memory", ended: true, lent: [] },
  ]);
  expect([pool.freeSlots, workers[0]!.isTerminated]).toEqual([1, true]);
  // What comes before the next one is there waits for it.
  render(2);
  await jest.advanceTimersByTimeAsync(1000);
  expect(workers).toHaveLength(2);
  expect(workers[1]!.kinds.sort()).toEqual(["decoding", "init", "render"]);
  expect(workers[1]!.requests).toContainEqual({ kind: "decoding", on: "graphics" });
});

test("a worker whose WebAssembly broke off is replaced, though it still answers", async () => {
  const { workers, outcomes, render } = rig();
  render(1);
  workers[0]!.onmessage!({ data: { kind: "failed", job: 1, reason: "unreachable", ended: true, lent: [] } });
  await jest.advanceTimersByTimeAsync(1000);
  expect(workers).toHaveLength(2);
  render(2);
  workers[1]!.onmessage!({ data: { kind: "failed", job: 2, reason: "no such layer", ended: false, lent: [] } });
  await jest.advanceTimersByTimeAsync(60_000);
  expect([workers.length, outcomes.length]).toEqual([2, 2]);
});

test("a worker that cannot start is tried again, less and less often, and with what is loaded anew", async () => {
  let loads = 0;
  const { workers, render } = rig(() => (++loads < 3 ? Promise.reject(new Error("gone")) : Promise.resolve(RESOURCES)));
  for (let job = 0; job < 2; job++) {
    await jest.advanceTimersByTimeAsync(500);
    const worker = workers.at(-1)!;
    expect(worker.requests).toContainEqual({ kind: "unable", reason: "gone" });
    render(job);
    worker.onmessage!({ data: { kind: "failed", job, reason: "gone", ended: true, lent: [] } });
  }
  await jest.advanceTimersByTimeAsync(500);
  expect([workers.length, workers.at(-1)!.kinds]).toEqual([3, expect.arrayContaining(["init"])]);
  for (let times = 0; times < 200; times++) {
    workers.at(-1)!.die();
    await jest.advanceTimersByTimeAsync(100);
  }
  // Twenty seconds of dying at once: a few attempts, not two hundred.
  expect(workers.length).toBeLessThan(12);
});

test("a worker that is no longer wanted stays away, also when it has just died", async () => {
  const { pool, workers, outcomes } = rig();
  pool.resize(2);
  workers[1]!.die();
  pool.resize(1);
  await jest.advanceTimersByTimeAsync(60_000);
  expect([workers.length, outcomes]).toEqual([2, []]);
});

const done = (job: number, memoryBytes: number) =>
  ({ kind: "rendered", job, memoryBytes, lent: [], branches: [] }) as unknown as RenderOutcome;

test("a worker with more memory than it may keep makes place for another, when it has nothing to do, and once", async () => {
  const { pool, workers, outcomes, render } = rig();
  render(1);
  workers[0]!.onmessage!({ data: done(1, 3000) });
  render(2);
  pool.fit(1000);
  expect([workers.length, pool.memoryBytes]).toEqual([1, 3000]);
  workers[0]!.onmessage!({ data: done(2, 3000) });
  expect([workers.length, workers[0]!.isTerminated, pool.memoryBytes]).toEqual([2, true, 0]);
  expect(outcomes).toHaveLength(2);
  // What is needed after all is kept.
  render(3);
  await jest.advanceTimersByTimeAsync(1);
  workers[1]!.onmessage!({ data: done(3, 3000) });
  expect([workers.length, pool.memoryBytes]).toEqual([2, 3000]);
  pool.fit(4000);
  expect(workers).toHaveLength(2);
  pool.fit(1000);
  expect(workers).toHaveLength(3);
});
