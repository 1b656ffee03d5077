import { applyEdit, IN_MEMORY } from "@kinetocache/core";
import { document, layer } from "../../../../testing/documents";
import { EngineRig, onFakeTime, SETTINGS } from "../../../../testing/engine";

onFakeTime();

const x = { keyframes: [0, 24].map((frame) => ({ frame, value: frame, ease: "linear" as const })) };
const still = { x: 0, y: 0, anchorX: 0, anchorY: 0, scale: 1, rotation: 0 };
const scene = document([
  layer("sky", "noise"),
  layer("square", "solid", {}, { transform: { ...still, x }, range: { in: 6, out: 30 } }),
]);
const wish = { layers: ["square", "sky"], range: { in: 0, out: 24 }, columns: 24 };

test("bars tell what each layer costs in view and where its pixels are held, by column", async () => {
  const rig = new EngineRig(undefined, { ...SETTINGS, memoryBudgetBytes: 2 ** 24 });
  await rig.open(scene);
  rig.send(
    { kind: "bars", wish },
    { kind: "layers", layers: { solo: [], effectsOff: [], marked: [], pinned: ["square"] } },
  );
  rig.send({ kind: "fill", target: { kind: "layer", layer: "square", range: { in: 6, out: 24 } } });
  await rig.run(6000);
  const { first, step, topMs, bars } = rig.last("bars").bars;
  expect([first, step]).toEqual([0, 1]);
  const [square, sky] = bars as [(typeof bars)[0], (typeof bars)[0]];
  expect([square.layer, sky.layer]).toEqual(["square", "sky"]);
  // It shows from frame 6 on; all of the time of a frame is its own.
  expect([...square.costs].map((ms) => ms > 0)).toEqual(Array.from({ length: 24 }, (_, frame) => frame >= 6));
  expect(topMs).toBe(Math.max(...square.costs));
  expect([...square.held].map((bits) => bits & IN_MEMORY)).toEqual(
    Array.from({ length: 24 }, (_, frame) => (frame >= 6 ? IN_MEMORY : 0)),
  );

  // Of several frames in a column the dearest counts.
  rig.send({ kind: "bars", wish: { ...wish, columns: 5 } });
  const coarse = rig.last("bars").bars;
  expect(coarse.step).toBe(5);
  expect(coarse.bars[0]!.costs).toHaveLength(5);
  expect(coarse.bars[0]!.costs[1]).toBe(Math.max(...square.costs.slice(5, 10)));
  expect(coarse.bars[0]!.costs[0]).toBe(0);

  // Nothing is told that nobody sees.
  rig.send({ kind: "bars", wish: { ...wish, layers: [] } });
  const told = rig.all("bars").length;
  await rig.run(1000);
  expect(rig.all("bars")).toHaveLength(told);
});

test("what playing has brought is told when it stops, and estimates are told from what was measured", async () => {
  const rig = new EngineRig(undefined, { ...SETTINGS, memoryBudgetBytes: 2 ** 24 });
  await rig.open(scene);
  rig.send({ kind: "bars", wish });
  const before = rig.last("bars").bars;
  rig.send({ kind: "play", speed: 1 });
  await rig.run(700);
  const told = rig.all("bars").length;
  rig.send({ kind: "pause" });
  await rig.run(300);
  expect(rig.all("bars").length).toBeGreaterThan(told);
  const count = (of: Uint8Array) => of.reduce((sum, one) => sum + one, 0);
  expect(count(rig.last("bars").bars.measured)).toBeGreaterThan(count(before.measured));
});

test("a group whose layers are blended one by one is filled, pinned and counted layer by layer", async () => {
  const rig = new EngineRig(undefined, { ...SETTINGS, memoryBudgetBytes: 2 ** 24 });
  const nested = applyEdit(scene, { kind: "layersNested", layers: ["sky", "square"], name: "Dusk" });
  await rig.open(nested);
  rig.send({ kind: "layers", layers: { solo: [], effectsOff: [], marked: [], pinned: ["dusk"] } });
  rig.send({ kind: "fill", target: { kind: "layer", layer: "dusk", range: { in: 0, out: 24 } } });
  await rig.run(8000);
  expect(rig.status.layersKept).toMatchObject([{ layer: "dusk", held: 24, total: 24 }]);
  const [kept] = rig.status.layersKept;
  expect(kept!.heldBytes).toBe(kept!.allBytes);
});
