import type { StoredTake } from "../../data/database";
import { differences } from "./differences";

const take = (change: Partial<StoredTake> = {}): StoredTake => ({
  id: 1,
  startedAtMs: 0,
  document: { id: "night", state: "a", name: "Night Roost", width: 1920, height: 1080 },
  budgetMs: 41.7,
  range: { in: 0, out: 240 },
  settings: {
    fraction: 0.5,
    scrubFraction: 0.25,
    effects: "All",
    motionBlur: true,
    tradeOffs: true,
    memoryBudgetBytes: 2 ** 28,
    parallel: 2,
    window: { before: 24, after: 96 },
    background: "Idle",
    pauseFillingWhilePlaying: true,
    idleDelayMs: 3000,
    pacing: "keep time",
    sharpenWhenParked: true,
    loop: true,
    effectsOn: "processor",
    decodingOn: "processor",
    diskCache: { location: "main", store: "Always", storeSlow: false },
  },
  depth: "8-bit",
  frames: [],
  summary: {
    frames: 0,
    onTimeShare: 0,
    reachedRate: 0,
    late: 0,
    skipped: 0,
    longestStallMs: 0,
    hits: { memory: 0, disk: 0, rendered: 0, skipped: 0 },
    bytesRead: 0,
  },
  layerMs: [],
  heldAtStart: { memory: 0, disk: 0 },
  ...change,
});

test("two takes under the same settings differ in nothing", () => {
  expect(differences(take(), take({ id: 2, startedAtMs: 99 }))).toEqual([]);
});

test("an edit in between is named first", () => {
  const edited = { ...take().document, state: "b" };
  expect(differences(take(), take({ document: edited }))).toEqual([
    { label: "Layers and effects", before: "as they were", after: "edited" },
  ]);
});

test("the machine and what was chosen for layers are compared too, as far as they are known", () => {
  const machine = { processor: "made up", cores: 4, installedBytes: 2 ** 34, availableBytes: 2 ** 33 };
  const layers = { solo: [], effectsOff: [], marked: [], pinned: [] };
  const before = take({ machine, layers });
  const after = take({
    machine: { ...machine, availableBytes: 2 ** 32, onBattery: true },
    layers: { ...layers, solo: ["sky"] },
  });
  expect(differences(before, after)).toEqual([
    { label: "Solo", before: "none", after: "sky" },
    { label: "Memory available", before: "about 8 GB", after: "about 4 GB" },
    { label: "Power", before: "not known", after: "battery" },
  ]);
});

test("what differs is named with both values, in words", () => {
  const before = take();
  const after = take({
    settings: { ...before.settings, memoryBudgetBytes: 2 ** 30, fraction: 0.25 },
    heldAtStart: { memory: 240, disk: 12 },
  });
  expect(differences(before, after)).toEqual([
    { label: "In memory at the start", before: "0 of 240 frames", after: "240 of 240 frames" },
    { label: "On disk at the start", before: "0 of 240 frames", after: "12 of 240 frames" },
    { label: "Memory budget", before: "256 MB", after: "1.00 GB" },
    { label: "Preview size", before: "50 %", after: "25 %" },
  ]);
});
