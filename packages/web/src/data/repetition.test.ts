import { SETTINGS } from "../../../../testing/engine";
import type { StoredTake } from "./database";
import { afterTake, repetitionOf, type Repetition } from "./repetition";

const before = { settings: SETTINGS, layers: { solo: [], effectsOff: [] } };
const take = (change: Partial<StoredTake> = {}) =>
  ({ id: 7, range: { in: 24, out: 48 }, heldAtStart: { memory: 24, disk: 0 }, ...change }) as StoredTake;

test("a take is repeated as often as was asked for, and then no more", () => {
  let run: Repetition | undefined = repetitionOf(take(), 3, before);
  const left: number[] = [];
  for (; run; run = afterTake(run)) left.push(run.left);
  expect(left).toEqual([3, 2, 1]);
});

test("what repeats a repetition repeats the first one", () => {
  expect(repetitionOf(take(), 1, before).of).toBe(7);
  expect(repetitionOf(take({ repeats: 2 }), 1, before).of).toBe(2);
});

test("one that began with most of it held does so again, and one that began with nothing too", () => {
  const emptied = (memory: number) => repetitionOf(take({ heldAtStart: { memory, disk: 0 } }), 1, before).emptied;
  expect([emptied(0), emptied(11), emptied(12), emptied(24)]).toEqual([true, true, false, false]);
});
