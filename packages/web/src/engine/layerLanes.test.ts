import { FULL_QUALITY, frameKey, IN_MEMORY, NO_BAKES, buildGraph } from "@kinetocache/core";
import { document, layer } from "../../../../testing/documents";
import { LayerLanes } from "./layerLanes";

const x = { keyframes: [0, 24].map((frame) => ({ frame, value: frame, ease: "linear" as const })) };
const opened = document([
  layer("sky", "noise"),
  layer("plate", "solid"),
  layer(
    "square",
    "solid",
    {},
    {
      range: { in: 4, out: 20 },
      transform: { x, y: 0, anchorX: 0, anchorY: 0, scale: 1, rotation: 0 },
    },
  ),
]);
const keyOf = (frame: number) => buildGraph(opened, frame, FULL_QUALITY).root.inputs[2]!.key;

function lanes(held: readonly string[] = []): LayerLanes {
  const made = new LayerLanes(opened, FULL_QUALITY, NO_BAKES, (key) => held.includes(key));
  made.follow(new Set(["square"]));
  return made;
}

const isFilled = (made: LayerLanes, frame: number, layer = "square") => made.filled.get(layer)?.[frame] !== 0;

test("a layer's pixels are held, missing, or nothing where it does not show", () => {
  const made = lanes([keyOf(6)]);
  // Nothing is filled of which it is not known yet what it takes.
  expect(made.filled.get("square")!.every((bit) => bit === 1)).toBe(true);
  made.computeKeys(Infinity);
  expect([3, 6, 7, 20].map((frame) => isFilled(made, frame))).toEqual([true, true, false, true]);
  expect(made.hasUnkeyed).toBe(false);
  expect(made.count("square", { in: 0, out: 24 })).toEqual({ held: 1, total: 16 });
  expect(made.residency("square")![6]).toBe(IN_MEMORY);
});

test("what comes and goes is marked; a frame's own key is none of it", () => {
  const made = lanes();
  made.computeKeys(Infinity);
  made.takeChanged();
  made.mark(keyOf(9), true);
  made.mark(frameKey(opened, 10, FULL_QUALITY), true);
  expect(made.takeChanged()).toBe(true);
  expect(made.takeChanged()).toBe(false);
  expect(made.count("square", { in: 0, out: 24 }).held).toBe(1);
  made.mark(keyOf(9), false);
  expect(isFilled(made, 9)).toBe(false);
});

test("what memory refused is left alone until there may be room", () => {
  const made = lanes();
  made.computeKeys(Infinity);
  made.refuse("square", 8);
  expect(isFilled(made, 8)).toBe(true);
  made.tryAgain();
  expect(isFilled(made, 8)).toBe(false);
});

test("a layer that is not followed asks for nothing", () => {
  const made = lanes();
  expect(isFilled(made, 0, "sky")).toBe(true);
  made.follow(new Set(["sky"]));
  made.computeKeys(Infinity);
  expect(isFilled(made, 0, "sky")).toBe(false);
  expect(made.residency("square")).toBeUndefined();
});

test("what is kept of a layer is counted in frames and bytes, what looks the same once", () => {
  const made = lanes([keyOf(6), keyOf(7)]);
  made.follow(new Set(["square", "plate"]));
  made.computeKeys(Infinity);
  const kept = new Map(
    made.kept(new Set(["square", "plate"]), { in: 5, out: 15 }).map(({ layer: of, ...rest }) => [of, rest]),
  );
  const pixels = (frame: number) => {
    const { width, height } = buildGraph(opened, frame, FULL_QUALITY).root.inputs[2]!.window;
    return width * height * 16;
  };
  const all = Array.from({ length: 10 }, (_, at) => pixels(5 + at)).reduce((sum, bytes) => sum + bytes, 0);
  expect(kept.get("square")).toEqual({ held: 2, total: 10, heldBytes: pixels(6) + pixels(7), allBytes: all });
  expect(kept.get("plate")).toEqual({ held: 0, total: 10, heldBytes: 0, allBytes: 64 * 36 * 16 });
});
