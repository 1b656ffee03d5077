import { parseSheetText, PROGRAM_RULES, simulatedFigures } from "@kinetocache/core";
import { readFileSync } from "node:fs";
import { SETTINGS } from "../../../../../testing/engine";
import { document } from "../../../../../testing/documents";
import { bytesText } from "../../parts/format";
import { planMemory, preview, type Shares } from "./memoryPlan";

const GIB = 2 ** 30;
const composition = { ...document([]).compositions.main!, width: 1920, height: 1080, duration: 240 };

const figures = (id: string) =>
  simulatedFigures(parseSheetText(readFileSync(`demo/machines/${id}.json`, "utf8")), PROGRAM_RULES);
const plan = (shares: Partial<Shares>, id = "tower") =>
  planMemory(
    { keptFreeBytes: 6.4 * GIB, parallel: 4, cacheBytes: 10 * GIB, ...shares },
    {
      figures: figures(id),
      composition,
      depth: "8-bit",
      settings: { ...SETTINGS, fraction: 0.5 },
      oneBytes: 0.4 * GIB,
      text: bytesText,
    },
  );

test("the sentence says how much more the cache can have, and where the edges are", () => {
  expect(plan({}).sentence).toBe("The cache can have 29.8 GB more");
  expect(plan({ cacheBytes: plan({}).split.mostCacheBytes }).sentence).toBe("All of the memory is given out");
  expect(plan({ cacheBytes: 50 * GIB }).sentence).toBe("The system would start to swap");
  expect(plan({ cacheBytes: 10_000_000 })).toMatchObject({
    sentence: "The cache is too small to scrub",
    detail: expect.stringContaining("17.8 MB would hold that"),
  });
});

test("where the host can address 4 GB, more installed memory would not help, and that is said", () => {
  const limited = plan({ hostLimitBytes: 4 * GIB, keptFreeBytes: GIB, parallel: 2, cacheBytes: 3.2 * GIB }, "suite");
  expect(limited.sentence).toBe("The host limit is reached");
  expect(limited.detail).toContain("4.00 GB");
  expect(limited.detail).toContain("more installed memory would not help");
});

test("each frame in parallel takes its buffers from the cache", () => {
  const difference = plan({ parallel: 4 }).split.mostCacheBytes - plan({ parallel: 6 }).split.mostCacheBytes;
  expect(difference / GIB).toBeCloseTo(0.8);
});

test("1 GB holds 21.5 s at 50 %, 8-bit, all of a range of 240 frames, and not at float", () => {
  const at = (depth: "8-bit" | "float") => preview(GIB, composition, { fraction: 0.5, depth }, 240);
  expect(at("8-bit").seconds).toBeCloseTo(21.5, 1);
  expect(at("8-bit").holdsRange).toBe(true);
  expect(at("float").holdsRange).toBe(false);
});
