import type { Bake, TakeSummary } from "@kinetocache/core";
import { layer } from "../../../../../testing/documents";
import { SETTINGS } from "../../../../../testing/engine";
import type { BakeOffer, Explanation } from "../../engine/protocol/event";
import { tradeOffsInForce } from "../../engine/tradeOffs";
import { bakeRowText, bakeStateText, noOfferText, offerText } from "./bakeWords";
import { changeText, evictionText, heldText, layerText } from "./frameWords";
import { inForceText, pacingText, pinText, savedText } from "./savingWords";
import { remedyText, wasteText } from "./wasteWords";

const MIB = 2 ** 20;
const standing = { kind: "frame", bytes: 2 * MIB, costMs: 60, uses: 3, before: 7, entries: 20 } as const;
const explanation = (change: Partial<Explanation> = {}): Explanation => ({
  frame: 5,
  held: { memory: true, disk: false },
  costMs: 60,
  measured: true,
  rule: "free",
  standing,
  parts: { distance: 12, inRange: true, demand: 1 },
  memory: { usedBytes: 10 * MIB, budgetBytes: 20 * MIB },
  layers: [],
  ...change,
});

test("an edit says what has to be rendered again, and what was found again", () => {
  const words = (lost: number, regained: number) => changeText({ cause: "edit", lost, regained });
  expect(words(240, 0)).toBe("The edit: 240 frames to render again, the old ones are kept for undo");
  expect(words(0, 12)).toBe("The edit: 12 frames found again, none rendered");
  expect(words(0, 0)).toBe("The edit: nothing cached is lost");
});

describe("a frame", () => {
  test("says where it is held", () => {
    const at = (memory: boolean, disk: boolean) => heldText(explanation({ held: { memory, disk } }));
    expect([at(true, true), at(true, false), at(false, true), at(false, false)]).toEqual([
      "in memory and on disk",
      "in memory",
      "on disk",
      "not held",
    ]);
  });

  test("says what goes before it and why", () => {
    expect(evictionText(explanation())).toBe(
      "7 of 20 are evicted before it: 12 frames from the playhead, 60.0 ms to make again, 2.00 MB, shown 3 times, in the in–out range.",
    );
    const first = explanation({
      standing: { ...standing, before: 0 },
      parts: { ...explanation().parts!, distance: undefined },
    });
    expect(evictionText(first)).toContain("It is evicted first when room is needed: the timeline does not show it");
    expect(evictionText(explanation({ rule: "playback", nextUse: 9, parts: undefined }))).toBe(
      "7 of 20 are evicted before it: it is needed in 9 frames.",
    );
  });

  test("that is not held says what would become of it", () => {
    const gone = { held: { memory: false, disk: false }, standing: undefined };
    expect(evictionText(explanation(gone))).toBe("Memory has 10.0 MB left: it is kept when it is rendered.");
    const full = { usedBytes: 20 * MIB, budgetBytes: 20 * MIB };
    expect(evictionText(explanation({ ...gone, memory: full }))).toContain("worth more than what is held");
    expect(evictionText(explanation({ ...gone, held: { memory: false, disk: true } }))).toContain(
      "read back from disk",
    );
  });

  test("says of each layer where its own pixels are", () => {
    const of = (change: object) => layerText({ layer: "sky", costMs: 5, baked: false, pinned: false, ...change });
    expect(of({ baked: true })).toBe("baked");
    expect(of({})).toBe("not held by itself");
    expect(of({ pinned: true, standing })).toBe("held, 2.00 MB, pinned: evicted last");
    expect(of({ standing })).toBe("held, 2.00 MB, 7 evicted before it");
  });
});

describe("trade-offs", () => {
  const layers = { solo: ["a"], effectsOff: ["b", "c"], marked: [], pinned: [] };

  test("what one saves is an estimate, nothing, or not known", () => {
    expect(savedText(80, 20)).toBe("saves 60.0 ms a frame, 75 % (est.)");
    expect(savedText(80, 80)).toBe("saves nothing here");
    expect(savedText(0, 0)).toBe("saves nothing here");
    expect(savedText(undefined, 5)).toBe("not known yet");
  });

  test("all that is in force is named; off, nothing is", () => {
    const settings = { ...SETTINGS, fraction: 0.5, scrubFraction: 0.25, effects: "None" as const, motionBlur: false };
    expect(inForceText(tradeOffsInForce(settings, layers), settings, 1, 2)).toBe(
      "50 %, scrubbing 25 % · no effects · no motion blur · 1 solo · effects off for 2",
    );
    const off = { ...settings, tradeOffs: false };
    expect(inForceText(tradeOffsInForce(off, layers), off, 1, 2)).toBe("Full quality, as the output");
    const none = { ...layers, solo: [], effectsOff: [] };
    expect(inForceText(tradeOffsInForce(SETTINGS, none), SETTINGS, 0, 0)).toBe("None in force: as the output");
  });

  test("pacing says what is skipped, or how slowly it plays", () => {
    const how = { meanMs: 100, parallel: 2, cores: 2, rate: { numerator: 25, denominator: 1 } };
    expect(pacingText("keep time", how)).toMatch(/^skips \d+ % of what is not held \(est\.\)$/);
    expect(pacingText("show every frame", how)).toMatch(/^plays at [\d.]+ fps where nothing is held \(est\.\)$/);
    expect(pacingText("keep time", { ...how, meanMs: 5 })).toBe("keeps up (est.)");
    expect(pacingText("keep time", { ...how, meanMs: 0 })).toBe("not known yet");
  });
});

describe("bakes", () => {
  const bake = { locked: false } as Bake;
  const locked = { locked: true } as Bake;
  const used = (outdated: number, unreadable = 0) => ({ kind: "in use", frames: 10, outdated, unreadable }) as const;

  test("say when something else is shown than what was baked", () => {
    expect(bakeStateText(used(0), bake)).toEqual({ text: "Played, and up to date", alarm: false });
    expect(bakeStateText(used(10), bake).text).toBe("Out of date: the live layer is shown there");
    expect(bakeStateText(used(3), bake).text).toBe("3 of 10 frames out of date: the live layer is shown there");
    expect(bakeStateText(used(10), locked)).toEqual({ text: "Locked and played, but out of date", alarm: true });
    expect(bakeStateText(used(0, 2), bake)).toMatchObject({ alarm: true });
    expect(bakeStateText({ kind: "part" }, bake).text).toContain("not played until it is finished");
  });

  test("are short in the row of a layer", () => {
    const rows = [used(0), used(2), used(0, 1), { kind: "part" }, { kind: "off" }] as const;
    expect(rows.map((state) => bakeRowText(state, bake))).toEqual(["baked", "out of date", "damaged", "part", "off"]);
    expect([bakeRowText(used(0), locked), bakeRowText(used(2), locked)]).toEqual(["locked", "locked, old"]);
  });

  test("that is suggested says what a take comes to with it and without, what it takes, and why there is none", () => {
    const take = { frames: 240, onTimeShare: 0.27, skipped: 90 } as TakeSummary;
    const offer: BakeOffer = {
      targets: [],
      fraction: 0.5,
      summary: { ...take, onTimeShare: 0.74, skipped: 12 },
      meanMs: 60,
      bakeMs: 65_000,
      bytes: 89.5 * MIB,
    };
    expect(offerText(offer, { present: take, presentMs: 110 })).toBe(
      "About 74 % on time, 27 % without it (est.). A frame that is not held takes 60.0 ms instead of 110 ms. Baking takes about 65 s and 89.5 MB.",
    );
    const realTime = { ...offer, summary: { ...take, onTimeShare: 1, skipped: 0 } };
    expect(offerText(realTime, { present: take, presentMs: 110 })).toContain(
      "Should play in real time, 27 % without it (est.).",
    );
    const none = {
      composition: "main",
      range: { in: 0, out: 240 },
      present: take,
      presentMs: 110,
      offers: [],
      triedFrames: 24,
    };
    expect(noOfferText(none)).toContain("no bake that fits gains more than the error");
    expect(noOfferText({ ...none, present: realTime.summary })).toContain("nothing need be baked");
  });
});

test("waste is named with its remedy, as the button says it", () => {
  const birds = layer("birds", "flock");
  const off = { kind: "layerEnabled", layer: "birds", enabled: false } as const;
  const waste = { kind: "covered", layer: "birds", reason: "", costMs: 1, remedy: off } as const;
  expect([wasteText(waste, birds), remedyText(waste, birds)]).toEqual(["Fully covered", "Switch birds off"]);
  const end = { kind: "layerRange", layer: "birds", range: { in: 0, out: 24 } } as const;
  expect(remedyText({ ...waste, kind: "trimmed", remedy: end }, birds)).toBe("End it at frame 23");
});

test("pinning says what it does, and what it takes in frames", () => {
  const kept = { layer: "birds", held: 12, total: 24, heldBytes: 30 * MIB, allBytes: 60 * MIB };
  expect(pinText(true, kept, 4 * MIB)).toContain("12 of 24 frames kept, 30.0 MB, the room of 8 frames.");
  expect(pinText(false, kept, 4 * MIB)).toContain("All 24 frames would take 60.0 MB, the room of 15 frames.");
});
