import type { Bake, TakeSummary } from "@kinetocache/core";
import { SETTINGS } from "../../../../testing/engine";
import type { StoredTake } from "../data/database";
import { NO_LAYER_CHOICES } from "../engine/protocol/command";
import { answerOf, detailOf, playedTheSame, speaksForNow, withMissing, type Present } from "./verdict";

const realTime = { frames: 240, onTimeShare: 1, skipped: 0, late: 0, reachedRate: 24 } as TakeSummary;
const slow = { ...realTime, onTimeShare: 0.31, skipped: 150, late: 16, reachedRate: 9 };
const range = { in: 0, out: 240 };
const present: Present = { state: "a", settings: SETTINGS, layers: NO_LAYER_CHOICES, bakes: [], range, missing: {} };

function take(change: Partial<StoredTake> = {}): StoredTake {
  return {
    document: { id: "night-roost", state: "a", name: "Night Roost", width: 1920, height: 1080 },
    range,
    settings: SETTINGS,
    layers: NO_LAYER_CHOICES,
    baked: [],
    summary: slow,
    heldAtStart: { memory: 0, disk: 0 },
    ...change,
  } as StoredTake;
}

test("a take of what would be played now says so, whatever does not decide how it goes", () => {
  expect(playedTheSame(take(), present)).toBe(true);
  expect(playedTheSame(take(), { ...present, layers: { ...NO_LAYER_CHOICES, marked: ["sky"] } })).toBe(true);
  expect(playedTheSame(take(), { ...present, settings: { ...SETTINGS, idleDelayMs: 9000 } })).toBe(true);
});

test("solo, effects left out, a bake, settings, the range or an edit make it a take of something else", () => {
  const bake = { id: "b", target: { composition: "main", layer: "sky" }, complete: true, enabled: true } as unknown;
  const others: Partial<Present>[] = [
    { layers: { ...NO_LAYER_CHOICES, solo: ["sky"] } },
    { layers: { ...NO_LAYER_CHOICES, effectsOff: ["sky"] } },
    { bakes: [bake as Bake] },
    { settings: { ...SETTINGS, motionBlur: !SETTINGS.motionBlur } },
    { settings: { ...SETTINGS, memoryBudgetBytes: SETTINGS.memoryBudgetBytes / 2 } },
    { range: { in: 0, out: 100 } },
    { state: "b" },
    { missing: { f: "reel.mp4 was not found" } },
  ];
  for (const other of others) expect(playedTheSame(take(), { ...present, ...other })).toBe(false);
  expect(playedTheSame(take({ missing: { f: "reel.mp4 was not found" } }), present)).toBe(false);
  expect(playedTheSame(take({ baked: ["sky"] }), present)).toBe(false);
  expect(playedTheSame(take({ baked: ["sky"] }), { ...present, bakes: [bake as Bake] })).toBe(true);
});

test("a take speaks for now only while as much is held as it began with; where it went well, more is no harm", () => {
  const began = (memory: number, disk: number, summary = slow) => ({ summary, heldAtStart: { memory, disk } });
  // It filled memory itself: what it came to is not what a take would come to now.
  expect(speaksForNow(began(0, 0), { inMemory: 120, onDisk: 0 })).toBe(false);
  expect(speaksForNow(began(0, 0), { inMemory: 0, onDisk: 0 })).toBe(true);
  expect(speaksForNow(began(200, 0, realTime), { inMemory: 240, onDisk: 0 })).toBe(true);
  // After a reload nothing is in memory.
  expect(speaksForNow(began(240, 0, realTime), { inMemory: 0, onDisk: 0 })).toBe(false);
  expect(speaksForNow(began(0, 192, realTime), { inMemory: 0, onDisk: 1 })).toBe(false);
});

test("the answer is what a take would come to now, and says whether it was measured", () => {
  const some = { frames: 240, inMemory: 20, known: 240 };
  expect(answerOf(some, realTime, undefined, "24")).toBe("Plays in real time, 24 fps");
  expect(answerOf(some, slow, undefined, "24")).toBe("Plays 31 % on time");
  expect(answerOf(some, undefined, slow, "24")).toBe("Should play about 31 % on time");
  expect(answerOf(some, undefined, realTime, "24")).toBe("Should play in real time, 24 fps");
  expect(answerOf({ ...some, inMemory: 240, known: 0 }, undefined, undefined, "24")).toBe(
    "Should play in real time, 24 fps",
  );
  expect(answerOf({ ...some, known: 0 }, undefined, slow, "24")).toBe("Not measured yet");
});

test("the last take is quoted as what it was, and what is estimated says from what", () => {
  const held = (count: number) => ({ frames: 240, held: count });
  expect(detailOf(held(240), undefined, false, "24")).toBe("estimated, all 240 frames held; measure a take to know");
  expect(detailOf(held(12), take(), false, "24")).toBe(
    "estimated, 12 of 240 frames held; last take: 31 % on time, begun with 0 in memory",
  );
  expect(detailOf(held(0), take(), true, "24")).toBe("last take: 9 of 24 fps, 150 skipped, 16 late");
});

test("what is missing is said with the answer", () => {
  expect(withMissing("Plays in real time, 25 fps", 0)).toBe("Plays in real time, 25 fps");
  expect(withMissing("Plays in real time, 25 fps", 1)).toBe("Plays in real time, 25 fps, 1 clip missing");
  expect(withMissing("Not measured yet", 2)).toBe("Not measured yet, 2 clips missing");
});
