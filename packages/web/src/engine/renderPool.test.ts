import { FULL_QUALITY } from "@kinetocache/core";
import type { FrameRenderer, RenderOutcome } from "./protocol/rendering";
import { RenderPool, type StartRenderer } from "./renderPool";
import type { RenderResources } from "./resources";

/** Stands in for a render worker. */
class FakeRenderer implements FrameRenderer {
  /** What it was told and asked, in order. */
  readonly calls: (readonly [name: string, argument: unknown])[] = [];
  isEnded = false;
  private answer: ((outcome: RenderOutcome) => void) | undefined;

  /** @param die it ends by itself */
  constructor(readonly die: (reason: string) => void) {}

  init = () => void this.calls.push(["init", undefined]);
  giveUp = (reason: string) => void this.calls.push(["giveUp", reason]);
  setScene = () => void this.calls.push(["scene", undefined]);
  setDecoding = (on: string) => void this.calls.push(["decoding", on]);
  setPlaces = (places: object) => void this.calls.push(["places", places]);
  setGraphics = (choice: string) => void this.calls.push(["graphics", choice]);
  render = (job: number) => this.ask("render", job);
  bake = (job: number) => this.ask("bake", job);

  private ask(name: string, job: number): Promise<RenderOutcome> {
    this.calls.push([name, job]);
    return new Promise((resolve) => (this.answer = resolve));
  }

  async reply(outcome: RenderOutcome): Promise<void> {
    this.answer!(outcome);
    await jest.advanceTimersByTimeAsync(0);
  }

  get names(): string[] {
    return this.calls.map(([name]) => name);
  }
}

const PLACES = { f: { location: "here", path: "reel.mp4", bytes: 9, modifiedMs: 1 } };
const RESOURCES = {} as RenderResources;

function rig(loadResources: () => Promise<RenderResources> = () => Promise.resolve(RESOURCES)) {
  const workers: FakeRenderer[] = [];
  const outcomes: RenderOutcome[] = [];
  const start: StartRenderer = (onEnd) => {
    const renderer = new FakeRenderer(onEnd);
    workers.push(renderer);
    return { renderer, end: () => (renderer.isEnded = true) };
  };
  const pool = new RenderPool(start, loadResources, (outcome) => outcomes.push(outcome));
  pool.resize(1);
  const render = (job: number) => pool.render(job, { frame: job, settings: FULL_QUALITY });
  return { pool, workers, outcomes, render };
}

beforeEach(() => jest.useFakeTimers());
afterEach(() => jest.useRealTimers());

test("a worker that dies is said with its job, replaced, and told all that the one before knew", async () => {
  const { pool, workers, outcomes, render } = rig();
  pool.setDecoding("graphics");
  pool.setPlaces(PLACES);
  render(1);
  workers[0]!.die("out of memory");
  expect(outcomes).toEqual([
    { kind: "failed", job: 1, reason: "A render worker stopped: out of memory", ended: true, lent: [] },
  ]);
  expect([pool.freeSlots, workers[0]!.isEnded]).toEqual([1, true]);
  // What comes before the next one is there waits for it.
  render(2);
  await jest.advanceTimersByTimeAsync(1000);
  expect(workers).toHaveLength(2);
  expect(workers[1]!.names.sort()).toEqual(["decoding", "init", "places", "render"]);
  expect(workers[1]!.calls).toContainEqual(["decoding", "graphics"]);
  expect(workers[1]!.calls).toContainEqual(["places", PLACES]);
});

test("a worker whose WebAssembly broke off is replaced, though it still answers", async () => {
  const { workers, outcomes, render } = rig();
  render(1);
  await workers[0]!.reply({ kind: "failed", job: 1, reason: "unreachable", ended: true, lent: [] });
  await jest.advanceTimersByTimeAsync(1000);
  expect(workers).toHaveLength(2);
  render(2);
  await workers[1]!.reply({ kind: "failed", job: 2, reason: "no such layer", ended: false, lent: [] });
  await jest.advanceTimersByTimeAsync(60_000);
  expect([workers.length, outcomes.length]).toEqual([2, 2]);
});

test("a worker that cannot start is tried again, less and less often, and with what is loaded anew", async () => {
  let loads = 0;
  const { workers, render } = rig(() => (++loads < 3 ? Promise.reject(new Error("gone")) : Promise.resolve(RESOURCES)));
  for (let job = 0; job < 2; job++) {
    await jest.advanceTimersByTimeAsync(500);
    const worker = workers.at(-1)!;
    expect(worker.calls).toContainEqual(["giveUp", "gone"]);
    render(job);
    await worker.reply({ kind: "failed", job, reason: "gone", ended: true, lent: [] });
  }
  await jest.advanceTimersByTimeAsync(500);
  expect([workers.length, workers.at(-1)!.names]).toEqual([3, expect.arrayContaining(["init"])]);
  for (let times = 0; times < 200; times++) {
    workers.at(-1)!.die("gone");
    await jest.advanceTimersByTimeAsync(100);
  }
  // Twenty seconds of dying at once: a few attempts, not two hundred.
  expect(workers.length).toBeLessThan(12);
});

test("a worker that is no longer wanted stays away, also when it has just died", async () => {
  const { pool, workers, outcomes } = rig();
  pool.resize(2);
  workers[1]!.die("gone");
  pool.resize(1);
  await jest.advanceTimersByTimeAsync(60_000);
  expect([workers.length, outcomes]).toEqual([2, []]);
});

const done = (job: number, memoryBytes: number) =>
  ({ kind: "rendered", job, memoryBytes, lent: [], branches: [] }) as unknown as RenderOutcome;

test("a worker with more memory than it may keep makes place for another, when it has nothing to do, and once", async () => {
  const { pool, workers, outcomes, render } = rig();
  render(1);
  await workers[0]!.reply(done(1, 3000));
  render(2);
  pool.fit(1000);
  expect([workers.length, pool.memoryBytes]).toEqual([1, 3000]);
  await workers[0]!.reply(done(2, 3000));
  expect([workers.length, workers[0]!.isEnded, pool.memoryBytes]).toEqual([2, true, 0]);
  expect(outcomes).toHaveLength(2);
  // What is needed after all is kept.
  render(3);
  await jest.advanceTimersByTimeAsync(1);
  await workers[1]!.reply(done(3, 3000));
  expect([workers.length, pool.memoryBytes]).toEqual([2, 3000]);
  pool.fit(4000);
  expect(workers).toHaveLength(2);
  pool.fit(1000);
  expect(workers).toHaveLength(3);
});
