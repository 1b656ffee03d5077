import type { TimelineData } from "../engine/previewTimeline";
import { frameTimes } from "./frameTimes";

const timeline = (costs: readonly number[], measured: readonly number[]): TimelineData => ({
  costs: Float32Array.from(costs),
  measured: Uint8Array.from(measured),
  residency: new Uint8Array(costs.length),
});

test("the mean is of the frames whose cost is known, and of the range alone", () => {
  const some = timeline([900, 10, 30, 0, 0, 0], [1, 1, 0, 0, 0, 0]);
  expect(frameTimes(some, { in: 1, out: 6 })).toEqual({ meanMs: 20, heaviestMs: 30, measured: false });
  expect(frameTimes(some, { in: 0, out: 2 })).toEqual({ meanMs: 455, heaviestMs: 900, measured: true });
});

test("nothing is said while no cost is known", () => {
  expect(frameTimes(timeline([0, 0], [0, 0]), { in: 0, out: 2 })).toBeUndefined();
});
