import fc from "fast-check";
import { document, layer } from "../../../../testing/documents";
import { buildGraph, FULL_QUALITY, inOrder, type GraphNode } from "../graph";
import { CostModel, type CostKnowledge } from "./cost";
import { workUnits } from "./work";

const sample = (units: number, ms: number) => ({ key: String(units), kind: "noise" as const, layer: "sky", units, ms });

test("samples on a line give that line back", () => {
  fc.assert(
    fc.property(
      fc.double({ min: 0, max: 20, noNaN: true }),
      fc.double({ min: 1e-6, max: 1e-3, noNaN: true }),
      (a, b) => {
        const model = new CostModel();
        for (const units of [1e4, 5e4, 2e5, 8e5]) model.add(sample(units, a + b * units));
        const line = model.coefficients("noise")!;
        expect(line.a).toBeCloseTo(a, 3);
        expect(line.b / b).toBeCloseTo(1, 3);
      },
    ),
  );
});

test("neither coefficient is ever negative, and samples of one size draw a line through the origin", () => {
  const falling = new CostModel();
  [1e4, 2e4, 3e4].forEach((units, index) => falling.add(sample(units, 30 - 10 * index)));
  expect(falling.coefficients("noise")!.b).toBe(0);
  const steep = new CostModel();
  steep.add(sample(1e4, 1));
  steep.add(sample(2e4, 10));
  expect(steep.coefficients("noise")!.a).toBe(0);
  const single = new CostModel();
  single.add(sample(1000, 5));
  expect(single.coefficients("noise")).toEqual({ a: 0, b: 0.005 });
  expect(single.mean("noise")).toEqual({ units: 1000, ms: 5 });
});

test("what was never measured has no estimate, and a frame counts each node once and no still ones", () => {
  const model = new CostModel();
  const { root } = buildGraph(document([layer("sky", "noise"), layer("sky2", "noise")]), 0, FULL_QUALITY);
  const [noise] = inOrder(root);
  expect(model.estimate(noise!)).toBeUndefined();
  // Nobody knows what the layer costs: that is not nothing.
  expect(model.estimateFrame(root, new Set()).byLayer.get("sky")).toBeNaN();
  model.add(sample(workUnits(noise!), 8));
  const { total, byLayer } = model.estimateFrame(root, new Set());
  expect(total).toBeCloseTo(8, 6);
  expect(byLayer.get("sky")).toBeCloseTo(8, 6);
  expect(model.estimateFrame(root, new Set([noise!.key])).total).toBe(0);
});

function noiseOf(layerId: string, fraction: number): GraphNode {
  const { root } = buildGraph(document([layer(layerId, "noise")]), 0, { ...FULL_QUALITY, fraction });
  return inOrder(root).find(({ kind }) => kind === "noise")!;
}
const costsOf = (model: CostModel, layerId: string, fraction = 1) => model.estimate(noiseOf(layerId, fraction))!;
const unitsOf = (fraction = 1) => workUnits(noiseOf("sky", fraction));

test("one slow measurement decides nothing, first or last", () => {
  for (const at of [0, 19]) {
    const model = new CostModel();
    for (let n = 0; n < 20; n++) model.add(sample(unitsOf(), n === at ? 946 : 10));
    expect(costsOf(model, "sky")).toBeCloseTo(10, 6);
  }
});

test("what was measured while others had the processor counts less, and what follows counts again", () => {
  const model = new CostModel();
  for (let n = 0; n < 20; n++) model.add(sample(unitsOf(), 10));
  for (let n = 0; n < 40; n++) model.add(sample(unitsOf(), 14), 0.25);
  expect(costsOf(model, "sky")).toBeCloseTo(10, 6);
  // The machine has become slower for good.
  for (let n = 0; n < 60; n++) model.add(sample(unitsOf(), 14));
  expect(costsOf(model, "sky")).toBeCloseTo(14, 6);
});

test("each layer is known by what it took itself, and one never measured by its kind", () => {
  const model = new CostModel();
  for (let n = 0; n < 9; n++) {
    model.add(sample(unitsOf(), 10));
    model.add({ ...sample(unitsOf(), 30), layer: "sea" });
  }
  expect(costsOf(model, "sky")).toBeCloseTo(10, 6);
  expect(costsOf(model, "sea")).toBeCloseTo(30, 6);
  expect(costsOf(model, "land")).toBeCloseTo(20, 6);
});

test("a layer measured at one size is known at another, in the proportion of its kind", () => {
  const model = new CostModel();
  for (const fraction of [0.25, 1]) model.add({ ...sample(unitsOf(fraction), 3 + unitsOf(fraction)), layer: "land" });
  model.add(sample(unitsOf(0.25), 2 * unitsOf(0.25)));
  const { a, b } = model.coefficients("noise")!;
  const grows = (a + b * unitsOf(1)) / (a + b * unitsOf(0.25));
  expect(grows).toBeGreaterThan(2);
  expect(costsOf(model, "sky", 1) / costsOf(model, "sky", 0.25)).toBeCloseTo(grows, 6);
});

test("what a model knows goes on in another one", () => {
  const typical = ({ kinds, sites }: CostKnowledge) =>
    [...kinds, ...sites].map(([name, points]) => [name, points.map(([units, ms]) => [units.toPrecision(9), ms])]);
  fc.assert(
    fc.property(
      fc.array(
        fc.record({
          units: fc.integer({ min: 1, max: 1e7 }),
          ms: fc.double({ min: 0.01, max: 500, noNaN: true }),
          layer: fc.constantFrom("sky", "sea", null),
        }),
        { minLength: 1, maxLength: 60 },
      ),
      (samples) => {
        const model = new CostModel();
        for (const { units, ms, layer: of } of samples) model.add({ ...sample(units, ms), layer: of });
        const again = new CostModel(structuredClone(model.knowledge));
        expect(typical(again.knowledge)).toEqual(typical(model.knowledge));
      },
    ),
  );
});

test("layers of another composition are others, whatever they are called", () => {
  const model = new CostModel();
  model.add(sample(unitsOf(), 10));
  model.add({ ...sample(unitsOf(), 30), layer: "sea" });
  model.openSites([]);
  expect(costsOf(model, "sea")).toBeCloseTo(20, 6);
});
