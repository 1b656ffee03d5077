import { BakeTrial } from "./bakeTrial";
import { spread } from "./trial";
import type { BakeWay, TriedFrame } from "./bakeAdvice";
import type { RenderOutcome } from "./protocol";

const ways: readonly BakeWay[] = [1, 0.5].map((fraction) => ({ fraction, bakes: [] }));
const range = { in: 4, out: 40 };

function rendered(job: number, ms: number): RenderOutcome {
  const picture = { key: "", width: 1, height: 1, pixels: new Uint8Array(4), memoryBytes: 0 };
  const timing = { ms, costs: [], nodesTimed: true, renderer: "cpu-1", jumped: false, warm: true } as const;
  return { kind: "rendered", job, ...picture, ...timing, branches: [], lent: [], pictures: [] };
}

test("each way is tried on the same frames, after some that do not count", () => {
  let told: readonly (readonly TriedFrame[])[] | undefined;
  const trial = new BakeTrial(ways, "processor", 2, spread(range), "trial", (tried) => (told = tried));
  let job = 0;
  let seen = 0;
  while (!trial.isDone) {
    const [first, second] = [trial.next(job), trial.next(job + 1)];
    expect(trial.next(job + 2)).toBeUndefined();
    for (const frame of [first, second].flatMap((one) => one ?? [])) {
      expect(trial.end(rendered(job++, frame.tries!.bakes === ways[0]!.bakes ? 30 : 20))).toBeUndefined();
      seen++;
    }
    job += 2;
  }
  expect(trial.progress).toBe(1);
  trial.tell();
  expect(told!.map((tried) => tried.map(({ ms }) => ms))).toEqual([
    [30, 30, 30],
    [20, 20, 20],
  ]);
  expect(told![0]!.map(({ frame }) => frame)).toEqual(told![1]!.map(({ frame }) => frame));
  expect(seen).toBe(10);
});

test("a frame that cannot be rendered ends it with the reason", () => {
  const trial = new BakeTrial(ways, "processor", 1, spread(range), "trial", () => undefined);
  trial.next(1);
  expect(trial.end({ kind: "failed", job: 1, reason: "the artwork is not SVG", ended: false, lent: [] })).toBe(
    "the artwork is not SVG",
  );
});
