import { buildGraph, Bakes, FULL_QUALITY, inOrder, NO_BAKES } from "../graph";
import { CostModel, costSample } from "../render";
import { document, effect, layer } from "../../../../testing/documents";
import { asIfBaked, bakeProspects, type Prospect } from "./prospect";

const nested = (id: string, x: number) =>
  layer(id, "composition", { composition: "inner" }, { transform: { ...layer("a", "solid").transform, x } });
const birds = layer("birds", "flock", { count: 400, wingspan: 40 }, { effects: [effect("glow")] });
const inner = { ...document([birds]).compositions.main!, id: "inner", name: "Inner" };
const opened = document([layer("sky", "noise", { evolution: 1 }), nested("left", 0), nested("right", 8)]);
const scene = { ...opened, compositions: { ...opened.compositions, inner } };

/** Every unit of work takes as long. */
function model(): CostModel {
  const made = new CostModel();
  for (const node of inOrder(buildGraph(scene, 3, FULL_QUALITY).root)) {
    const sample = costSample(node, 0);
    made.add({ ...sample, ms: sample.units / 1000 });
  }
  return made;
}

function prospects(bakes = NO_BAKES): ReadonlyMap<string, Prospect> {
  const run = bakeProspects(scene, FULL_QUALITY, bakes, [3, 9], model(), (id) => (id === "sky" ? 1 : 2));
  for (;;) {
    const next = run.next();
    if (!next.done) continue;
    return new Map(next.value.map((one) => [`${one.target.composition}/${one.target.layer ?? ""}`, one]));
  }
}

test("what is left with each layer, with what is nested and with the whole baked", () => {
  const found = prospects();
  expect([...found.keys()]).toEqual(["main/right", "main/left", "main/sky", "inner/", "main/"]);
  const [right, sky, both, whole] = ["main/right", "main/sky", "inner/", "main/"].map((id) => found.get(id)!.rest[1]!);
  for (const rest of [right!, sky!, both!, whole!]) expect(rest >= 0 && rest < 1).toBe(true);
  // The nested composition shows twice, and most of the whole is in it.
  expect(both).toBeLessThan(right!);
  expect(whole).toBeLessThan(both!);
});

test("what is nested is part of the layers that show it", () => {
  const found = prospects();
  expect(found.get("inner/")!.within).toEqual([
    { composition: "main", layer: "left" },
    { composition: "main", layer: "right" },
  ]);
  expect(found.get("main/left")!.within).toEqual([]);
});

test("what is baked already is not looked at again", () => {
  const how = { fraction: 1, depth: "8-bit", packed: true } as const;
  const baked = new Bakes([asIfBaked(scene, { composition: "main", layer: "sky" }, how, "sky")]);
  expect([...prospects(baked).keys()]).not.toContain("main/sky");
});
