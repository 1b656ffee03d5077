import fc from "fast-check";
import { document, layer } from "../../../../testing/documents";
import { buildGraph, FULL_QUALITY, inOrder } from "../graph";
import { CostModel } from "./cost";
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
  model.add(sample(workUnits(noise!), 8));
  const { total, byLayer } = model.estimateFrame(root, new Set());
  expect(total).toBeCloseTo(8, 6);
  expect(byLayer.get("sky")).toBeCloseTo(8, 6);
  expect(model.estimateFrame(root, new Set([noise!.key])).total).toBe(0);
});
