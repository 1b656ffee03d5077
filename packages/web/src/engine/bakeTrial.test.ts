import { BakeTrial } from "./bakeTrial";
import { spread } from "./trial";
import type { BakeWay, TriedFrame } from "./bakeAdvice";
import type { MadePicture, RenderOutcome } from "./protocol/rendering";

const ways: readonly BakeWay[] = [1, 0.5].map((fraction) => ({ fraction, bakes: [] }));
const range = { in: 4, out: 40 };

const made: readonly MadePicture[] = [{ bake: "whole", frame: 7, number: 300, bytes: 10, ms: 400 }];

function rendered(job: number, ms: number): RenderOutcome {
  const picture = { key: "", width: 1, height: 1, pixels: new Uint8Array(4), memoryBytes: 0 };
  const timing = { ms, costs: [], nodesTimed: true, renderer: "cpu-1", jumped: false, warm: true } as const;
  return { kind: "rendered", job, ...picture, ...timing, branches: [], lent: [], pictures: made };
}

test("each way is tried on the same frames, after some that do not count, once all pictures are made", () => {
  let told: readonly (readonly TriedFrame[])[] | undefined;
  const trial = new BakeTrial(ways, "processor", 2, spread(range), "trial", (tried) => (told = tried));
  let job = 0;
  const seen = { making: 0, reading: 0 };
  const numbers = new Set<number>();
  while (!trial.isDone) {
    const [first, second] = [trial.next(job), trial.next(job + 1)];
    expect(trial.next(job + 2)).toBeUndefined();
    // Nothing is made while it is measured what reading takes.
    expect(first!.tries!.made).toBe(second!.tries!.made);
    for (const { tries } of [first!, second!]) {
      const isReading = tries!.made !== undefined;
      if (isReading) expect(tries!.made).toBe(made);
      seen[isReading ? "reading" : "making"]++;
      numbers.add(tries!.number);
      const ms = tries!.bakes === ways[0]!.bakes ? 30 : 20;
      expect(trial.end(rendered(job++, isReading ? ms : 999))).toBeUndefined();
    }
  }
  expect(trial.progress).toBe(1);
  trial.tell();
  expect(told!.map((tried) => tried.map(({ ms }) => ms))).toEqual([
    [30, 30, 30, 30, 30, 30],
    [20, 20, 20, 20, 20, 20],
  ]);
  expect(told![0]!.map(({ frame }) => frame)).toEqual(told![1]!.map(({ frame }) => frame));
  expect(seen).toEqual({ making: 10, reading: 12 });
  expect(numbers.size).toBe(22);
});

test("a frame that cannot be rendered ends it with the reason", () => {
  const trial = new BakeTrial(ways, "processor", 1, spread(range), "trial", () => undefined);
  trial.next(1);
  expect(trial.end({ kind: "failed", job: 1, reason: "the artwork is not SVG", ended: false, lent: [] })).toBe(
    "the artwork is not SVG",
  );
});
