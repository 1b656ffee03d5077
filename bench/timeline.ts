import { readFile, writeFile } from "node:fs/promises";
import path from "node:path";
import {
  applyEdit,
  buildGraph,
  FULL_QUALITY,
  isLayerByLayer,
  mainComposition,
  parseDocumentText,
  unnestingFault,
  writeOtio,
  type Document,
  type Edit,
} from "@kinetocache/core";
import { document, layer } from "../testing/documents";
import { setSwitch } from "../testing/preview";
import { Driver } from "./browser";
import type { Figure, Measure } from "./figure";
import { randomFrom, type Random } from "./random";
import { frameWork } from "./mainThread";
import { median, rounded } from "./ratio";

const EDITS = 200;
// Frames that are looked at after each edit.
const LOOKED_AT = 12;

/** An edit after which every frame looks as before, if the one that was drawn can be made. */
function neutralEdit(state: Document, random: Random): Edit | undefined {
  const { layers, duration } = mainComposition(state);
  const at = random(layers.length);
  const one = layers[at]!;
  const { id, range } = one;
  switch (random(7)) {
    case 0:
      return range.out - range.in > 1
        ? { kind: "layerSplit", layer: id, at: range.in + 1 + random(range.out - range.in - 1) }
        : undefined;
    case 1:
      return { kind: "layerRenamed", layer: id, name: `Layer ${random(1000)}` };
    case 2: {
      const first = random(layers.length);
      const some = layers.slice(first, first + 1 + random(3));
      return { kind: "layersNested", layers: some.map((each) => each.id), name: "Nest" };
    }
    case 3: {
      const nested = layers.find(
        (each) => isLayerByLayer(each) && !unnestingFault(state, mainComposition(state), each),
      );
      return nested && { kind: "layerUnnested", layer: nested.id };
    }
    case 4: {
      // With a neighbour that never shows together with it.
      const above = layers[at + 1];
      const apart = above && (above.range.in >= range.out || above.range.out <= range.in);
      return apart ? { kind: "layerMoved", layer: id, to: at + 1 } : undefined;
    }
    case 5:
      // Beyond the composition's end nothing is seen.
      return range.out >= duration && range.in < duration
        ? { kind: "layerRange", layer: id, range: { in: range.in, out: duration + random(100) } }
        : undefined;
    default:
      return range.in <= 0 && range.out > 0
        ? { kind: "layerRange", layer: id, range: { in: -random(100), out: range.out } }
        : undefined;
  }
}

/** Frames of the demo compositions that would be rendered anew after edits that change no pixel. */
export const neutralEditRenders: Measure = async () => {
  const cases: Record<string, Figure> = {};
  for (const name of ["night-roost", "flyway-titles", "estuary-map", "ringing-station"]) {
    const random = randomFrom(17);
    let state = parseDocumentText(await readFile(path.join("demo/compositions", `${name}.json`), "utf8"));
    const { duration } = mainComposition(state);
    const frames = Array.from({ length: LOOKED_AT }, (_, at) => Math.floor((at * duration) / LOOKED_AT));
    const keysOf = (of: Document) => frames.map((frame) => buildGraph(of, frame, FULL_QUALITY).key);
    const before = keysOf(state);
    let changed = 0;
    let edits = 0;
    const kinds = new Map<string, number>();
    while (edits < EDITS) {
      const edit = neutralEdit(state, random);
      if (!edit) continue;
      state = applyEdit(state, edit);
      edits++;
      kinds.set(edit.kind, (kinds.get(edit.kind) ?? 0) + 1);
      changed += keysOf(state).filter((key, at) => key !== before[at]).length;
    }
    cases[name] = {
      value: changed,
      unit: "frames with another key",
      limit: "0",
      edits: Object.fromEntries(kinds),
      layers: mainComposition(state).layers.length,
      framesAfterEach: LOOKED_AT,
    };
  }
  return cases;
};

const MANY = 500;
const LENGTH = 2000;
const MOVES = 120;

/** Work of the page for each frame in which the bar of one of many layers is dragged. */
export const composeFrameMs: Measure = () =>
  Driver.with(async (driver) => {
    const { page } = driver;
    await driver.open();
    const layers = Array.from({ length: MANY }, (_, index) =>
      layer(`layer-${index}`, "solid", {}, { range: { in: index, out: index + LENGTH / 2 } }),
    );
    const plain = document(layers, { id: "many" });
    const main = { ...plain.compositions.main!, name: "Many", duration: LENGTH };
    const file = path.join(driver.folder, "many.json");
    await writeFile(file, JSON.stringify({ ...plain, compositions: { main } }));
    await page.getByLabel("Composition file").setInputFiles(file);
    await page.getByRole("button", { name: /^Composition Many/ }).waitFor();
    await driver.choose("background", "Off");
    await driver.verdict("of 2,000 frames in memory");
    await page.locator("label[for=order-time]").click();
    await page.locator(".bar-name").nth(2).click();
    // Keys and estimates of all frames are worked out in the engine's worker.
    await page.waitForTimeout(20_000);
    const bar = page.locator(".bar").nth(2);
    const box = (await bar.boundingBox())!;
    await page.mouse.move(box.x + box.width / 2, box.y + box.height / 2);
    await page.mouse.down();
    // Within the page: a pointer that is moved from outside takes the page as long again to be told of.
    const drag = (moves: number) =>
      bar.evaluate(
        async (target, [count, x]) => {
          for (let n = 0; n < count!; n++) {
            const clientX = x! + 80 * Math.sin(n / 10);
            target.dispatchEvent(new PointerEvent("pointermove", { clientX, bubbles: true }));
            await new Promise((resolve) => requestAnimationFrame(resolve));
          }
        },
        [moves, box.x + box.width / 2],
      );
    await drag(20);
    const work = await frameWork(page, MOVES, () => drag(MOVES));
    await page.keyboard.press("Escape");
    await page.mouse.up();
    return {
      value: rounded(work.ms),
      unit: "ms a frame on the main thread",
      limit: "at most 8",
      withIdleWork: rounded(work.withIdleMs),
      layers: MANY,
    };
  });

const KEY_EDITS = 20;

/** From a keyframe's change until the new frame is on show, beyond what rendering it took. */
export const keyframeEditMs: Measure = () =>
  Driver.with(async (driver) => {
    const { page } = driver;
    await driver.open();
    await driver.choose("size", "50 %");
    await driver.choose("background", "Off");
    await setSwitch(page, "Sharpen when parked", false);
    await page.locator("label[for=order-time]").click();
    await page.getByRole("button", { name: "Title card", exact: true }).click();
    await page.locator(".playhead").focus();
    for (let n = 0; n < 20; n++) await page.keyboard.press("ArrowRight");
    const key = page.getByRole("slider", { name: "Keyframe of Opacity" }).nth(1);
    const beyondMs: number[] = [];
    const renderMs: number[] = [];
    for (let n = 0; n < KEY_EDITS; n++) {
      await key.focus();
      // Another state each time, so that no frame is found again.
      for (let steps = 0; steps <= n; steps++) await page.keyboard.down("ArrowRight");
      await page.keyboard.up("ArrowRight");
      await page.waitForTimeout(900);
      const text = (await page.locator(".response-note").textContent()) ?? "";
      const [, ms, own] = /edit was on show after ([\d.]+) ms, ([\d.]+) ms of it/.exec(text) ?? [];
      if (ms === undefined || own === "0.0") continue;
      beyondMs.push(Number(ms) - Number(own));
      renderMs.push(Number(own));
    }
    return {
      value: rounded(median(beyondMs)),
      unit: "ms beyond rendering",
      limit: "at most 30",
      largest: rounded(Math.max(...beyondMs)),
      rendering: rounded(median(renderMs)),
      edits: beyondMs.length,
    };
  });

const TRACKS = 20;
const CLIPS_A_TRACK = 500;

/** From choosing another program's timeline to its composition being open, without the press that makes it. */
export const importTimelineMs: Measure = () =>
  Driver.with(async (driver) => {
    const { page } = driver;
    await driver.open();
    await driver.choose("background", "Off");
    const rate = { numerator: 25, denominator: 1 };
    const clips = Array.from({ length: CLIPS_A_TRACK }, (_, index) => ({
      name: `Dawn ${index}`,
      file: `dawn ${index % 80}.mp4`,
      range: { in: index * 12, out: index * 12 + 10 },
      sourceFrame: index,
      sourceRate: rate,
      enabled: true,
    }));
    const tracks = Array.from({ length: TRACKS }, (_, index) => ({ name: `V${index + 1}`, clips }));
    const text = writeOtio({ name: "Estuary cut", rate, tracks, leftOut: [] });
    const file = path.join(driver.folder, "cut.otio");
    await writeFile(file, text);
    const readMs: number[] = [];
    const makeMs: number[] = [];
    for (let n = 0; n < 3; n++) {
      // Handing the file to the browser is not counted.
      await page.evaluate(() =>
        window.addEventListener("change", () => performance.mark("asked"), { capture: true, once: true }),
      );
      await page.getByLabel("Composition file").setInputFiles(file);
      const since = () =>
        page.evaluate(() => performance.now() - performance.getEntriesByName("asked").at(-1)!.startTime);
      await page.waitForFunction(() =>
        window.document.querySelector(".timeline-import")?.textContent.includes("10,000 clips"),
      );
      readMs.push(await since());
      await page.evaluate(() => performance.mark("asked"));
      await page.getByRole("button", { name: "Make the composition" }).click();
      await page.waitForFunction(
        (wanted) =>
          window.document.querySelectorAll(".notice").length >= wanted ||
          !window.document.querySelector(".timeline-import"),
        n + 1,
      );
      makeMs.push(await since());
      await driver.openComposition("Night Roost");
    }
    const both = readMs.map((ms, at) => ms + makeMs[at]!);
    return {
      value: Math.round(median(both)),
      unit: "ms",
      limit: "at most 1500",
      reading: readMs.map(Math.round),
      making: makeMs.map(Math.round),
      megabytes: rounded(text.length / 2 ** 20),
    };
  });
