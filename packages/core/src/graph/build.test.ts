import fc from "fast-check";
import { demoText, document, effect, layer } from "../../../../testing/documents";
import { applyEdit, parseDocumentText, type Document, type Edit } from "../composition";
import { Bakes, type Bake } from "./bake";
import { effectOf } from "../drawing";
import { buildBakeGraph, buildGraph, frameKey, stillKeys } from "./build";
import { shutterMoments } from "./layerNode";
import { FULL_QUALITY, type RenderSettings } from "./settings";
import { KEY_PATTERN } from "./key";
import { inOrder, type GraphNode } from "./node";

const night = parseDocumentText(demoText("night-roost"));
const half: RenderSettings = { ...FULL_QUALITY, fraction: 0.5 };

function nodesOf(document: Document, frame: number, layerId: string, settings = half): GraphNode[] {
  return inOrder(buildGraph(document, frame, settings).root).filter((node) => node.layer === layerId);
}

const keysOf = (document: Document, layerId: string) =>
  Array.from({ length: 24 }, (_, frame) => nodesOf(document, frame, layerId).at(-1)?.key);

const grade = (value: number): Edit => ({
  kind: "effectParameter",
  layer: "reeds",
  effect: "grade",
  name: "exposure",
  value,
});

test("keys are 128 bits in hexadecimal and the same whenever they are asked for", () => {
  const key = frameKey(night, 17, half);
  expect(key).toMatch(KEY_PATTERN);
  expect(frameKey(parseDocumentText(JSON.stringify(night)), 17, half)).toBe(key);
});

test("a branch that stays still has one key on every frame, one that moves has many", () => {
  expect(new Set(keysOf(night, "sky")).size).toBe(1);
  expect(new Set(keysOf(night, "flock-near")).size).toBe(24);
  const still = stillKeys(night, 5, half);
  expect(still.has(nodesOf(night, 5, "sky")[0]!.key)).toBe(true);
  expect(still.has(nodesOf(night, 5, "flock-near")[0]!.key)).toBe(false);
});

test("another name, and an effect that is put in and taken out, leave every frame as it was", () => {
  const renamed = applyEdit(night, { kind: "layerRenamed", layer: "reeds", name: "Rushes" });
  const glowing = applyEdit(night, { kind: "effectAdded", layer: "reeds", effect: effect("glow") });
  const back = applyEdit(glowing, { kind: "effectRemoved", layer: "reeds", effect: "glow" });
  const copied = applyEdit(night, { kind: "layerDuplicated", layer: "reeds" });
  const gone = applyEdit(copied, { kind: "layerRemoved", layer: "reeds-2" });
  for (const frame of [0, 7, 200]) {
    const key = frameKey(night, frame, half);
    for (const same of [renamed, back, gone]) expect(frameKey(same, frame, half)).toBe(key);
    expect(frameKey(glowing, frame, half)).not.toBe(key);
    expect(frameKey(copied, frame, half)).not.toBe(key);
  }
});

test("an edit changes the keys of its own layer and of nothing else but the stack", () => {
  const edited = applyEdit(night, grade(1.5));
  expect(keysOf(edited, "reeds")).not.toEqual(keysOf(night, "reeds"));
  for (const id of ["sky", "sun", "flock-near", "shore"]) expect(keysOf(edited, id)).toEqual(keysOf(night, id));
  expect(frameKey(edited, 3, half)).not.toBe(frameKey(night, 3, half));
});

test("going back to an earlier value goes back to its keys, by whatever way", () => {
  fc.assert(
    fc.property(
      fc.array(fc.integer({ min: -8, max: 8 }), { maxLength: 5 }),
      fc.integer({ min: 0, max: 239 }),
      (values, frame) => {
        let document = night;
        for (const value of values) document = applyEdit(document, grade(value));
        document = applyEdit(document, grade(0.2));
        return frameKey(document, frame, half) === frameKey(night, frame, half);
      },
    ),
    { numRuns: 25 },
  );
});

test("different values of any parameter never share a key", () => {
  const keys = new Set<string>();
  for (let value = -8; value <= 8; value += 0.25) keys.add(frameKey(applyEdit(night, grade(value)), 0, half));
  expect(keys.size).toBe(65);
});

test("size, depth and renderer are part of the key; a layer's name is not", () => {
  const key = frameKey(night, 0, half);
  expect(frameKey(night, 0, { ...half, fraction: 1 / 3 })).not.toBe(key);
  expect(frameKey(night, 0, { ...half, renderer: "gpu-1" })).not.toBe(key);
  expect(frameKey({ ...night, depth: "half" }, 0, half)).not.toBe(key);
  const main = night.compositions["night-roost"]!;
  const renamed = { ...main, layers: main.layers.map((one) => ({ ...one, name: `${one.name}!` })) };
  expect(frameKey({ ...night, compositions: { "night-roost": renamed } }, 0, half)).toBe(key);
});

test("the effects setting leaves out what it says: light effects stay, heavy ones go", () => {
  const kinds = (effects: RenderSettings["effects"]) =>
    new Set(inOrder(buildGraph(night, 104, { ...half, effects }).root).map((node) => node.kind));
  expect([...kinds("All")]).toEqual(
    expect.arrayContaining(["gaussianBlur", "directionalBlur", "glow", "grade", "grain"]),
  );
  expect([...kinds("Light only")]).toEqual(expect.arrayContaining(["grade", "grain"]));
  for (const kind of ["gaussianBlur", "directionalBlur", "glow"] as const)
    expect(kinds("Light only").has(kind)).toBe(false);
  for (const kind of ["grade", "grain"] as const) expect(kinds("None").has(kind)).toBe(false);
});

test("solo of the preview, switches, ranges and opacity 0 decide which layers are in the graph", () => {
  const make = (change: Parameters<typeof layer>[3]) =>
    document([layer("low", "solid"), layer("high", "noise", {}, change)]);
  const layersAt = (value: Document, frame: number, settings = half) =>
    [...new Set(inOrder(buildGraph(value, frame, settings).root).map((node) => node.layer))].filter(Boolean);
  expect(layersAt(make({}), 0)).toEqual(["low", "high"]);
  expect(layersAt(make({ enabled: false }), 0)).toEqual(["low"]);
  expect(layersAt(make({}), 0, { ...half, solo: ["high"] })).toEqual(["high"]);
  expect(layersAt(make({}), 0, { ...half, solo: ["high", "low"] })).toEqual(["low", "high"]);
  // A solo layer that is not there, or switched off, does not empty the picture.
  expect(layersAt(make({ enabled: false }), 0, { ...half, solo: ["high", "gone"] })).toEqual(["low"]);
  expect(layersAt(make({ opacity: 0 }), 0)).toEqual(["low"]);
  expect(layersAt(make({ range: { in: 5, out: 8 } }), 4)).toEqual(["low"]);
  expect(layersAt(make({ range: { in: 5, out: 8 } }), 7)).toEqual(["low", "high"]);
  expect(layersAt(make({ range: { in: 5, out: 8 } }), 8)).toEqual(["low"]);
});

test("an effect without visible result is not in the graph", () => {
  const value = document([
    layer(
      "sky",
      "gradient",
      {},
      { effects: [effect("gaussianBlur", { radius: 0 }), effect("grade"), effect("grain", { amount: 0 })] },
    ),
  ]);
  expect(inOrder(buildGraph(value, 0, half).root).map((node) => node.kind)).toEqual(["gradient", "stack"]);
});

test("a nested composition runs at its own rate, starts at its offset, and is empty outside its length", () => {
  const inner = {
    ...document([layer("birds", "flock", {}, { range: { in: 0, out: 12 } })]).compositions.main!,
    id: "inner",
    duration: 12,
    rate: { numerator: 12, denominator: 1 },
  };
  const outer = document([
    layer("nest", "composition", { composition: "inner", offset: 2 }, { range: { in: 4, out: 24 }, start: 4 }),
  ]);
  const value = { ...outer, compositions: { ...outer.compositions, inner } };
  const flockAt = (frame: number) => inOrder(buildGraph(value, frame, half).root).find((node) => node.kind === "flock");
  expect(flockAt(3)).toBeUndefined();
  const keyInside = inOrder(buildGraph({ ...value, main: "inner" }, 4, half).root)[0]!.key;
  expect(flockAt(8)!.key).toBe(keyInside);
  expect(flockAt(9)!.key).toBe(keyInside);
  expect(flockAt(23)!.layer).toBe("nest");
});

test("blur grows a layer's window, but not past what can come into the picture", () => {
  const full = buildGraph(
    document([layer("sky", "gradient", {}, { effects: [effect("gaussianBlur", { radius: 10 })] })]),
    0,
    FULL_QUALITY,
  );
  expect(full.root.inputs[0]!.window).toEqual({ x: 0, y: 0, width: 64, height: 36 });
  const moved = buildGraph(
    document([
      layer(
        "sky",
        "gradient",
        {},
        {
          transform: { x: 5, y: 0, anchorX: 0, anchorY: 0, scale: 1, rotation: 0 },
          effects: [effect("gaussianBlur", { radius: 10 })],
        },
      ),
    ]),
    0,
    FULL_QUALITY,
  );
  const { x, y } = effectOf("gaussianBlur").reach({ radius: 10, edges: "transparent" });
  expect(moved.root.inputs[0]!.inputs[0]!.window).toEqual({ x: -x, y: -y, width: 64 + 2 * x, height: 36 + 2 * y });
});

test("a frame outside the composition is refused", () => {
  expect(() => buildGraph(night, 240, half)).toThrow("Frame 240 is outside Night Roost, which has frames 0 to 239");
  expect(() => buildGraph(night, -1, half)).toThrow(RangeError);
});

describe("clips", () => {
  const clip = {
    kind: "clip" as const,
    width: 32,
    height: 18,
    rate: { numerator: 12, denominator: 1 },
    duration: 10,
    base64: "AAAA",
  };
  const opened = (offset: number, range = { in: 0, out: 24 }) =>
    document([layer("camera", "clip", { asset: "nest", offset }, { range, start: range.in })], {
      assets: { nest: clip },
    });
  /** Frame of the clip on show at each frame of the composition. */
  const shown = (value: Document) =>
    Array.from({ length: 24 }, (_, frame) => {
      const [node] = nodesOf(value, frame, "camera");
      return node?.kind === "clip" ? Number(node.parameters.frame) : null;
    });

  test("run at their own rate from the start of their layer, and show nothing after their end", () => {
    expect(shown(opened(0))).toEqual([
      ...Array.from({ length: 20 }, (_, frame) => Math.floor(frame / 2)),
      ...[null, null, null, null],
    ]);
    expect(shown(opened(7, { in: 4, out: 12 })).slice(3, 13)).toEqual([null, 7, 7, 8, 8, 9, 9, null, null, null]);
  });

  test("a frame that is shown again has the same key, and another file another", () => {
    const key = (value: Document, frame: number) => nodesOf(value, frame, "camera")[0]!.key;
    expect(key(opened(0), 2)).toBe(key(opened(0), 3));
    expect(key(opened(0), 2)).not.toBe(key(opened(0), 4));
    expect(key(opened(1), 2)).toBe(key(opened(0), 4));
    const other = { ...opened(0), assets: { nest: { ...clip, base64: "BBBB" } } };
    expect(key(other, 2)).not.toBe(key(opened(0), 2));
  });

  test("one that stays where it is goes by its content alone, and shows nothing where that cannot be read", () => {
    const { base64: _, ...shape } = clip;
    const file = { name: "dawn.mp4", bytes: 9, modifiedMs: 1, fingerprint: "0".repeat(32), codec: "avc1" };
    const referred = (change: Partial<typeof file>): Document => ({
      ...opened(0),
      assets: { nest: { ...shape, file: { ...file, ...change } } },
    });
    const key = (value: Document) => nodesOf(value, 2, "camera")[0]!.key;
    expect(key(referred({ name: "renamed.mp4", modifiedMs: 2 }))).toBe(key(referred({})));
    expect(key(referred({ fingerprint: "1".repeat(32) }))).not.toBe(key(referred({})));
    // At another rate the second frame is another picture.
    const faster = { ...opened(0), assets: { nest: { ...shape, rate: { numerator: 24, denominator: 1 }, file } } };
    expect(nodesOf(faster, 1, "camera")[0]!.key).not.toBe(key(referred({})));
    const missing = [file.fingerprint];
    const left = buildGraph(referred({}), 2, { ...FULL_QUALITY, missing });
    expect(inOrder(left.root).map(({ kind }) => kind)).not.toContain("clip");
    expect(left.key).not.toBe(buildGraph(referred({}), 2, FULL_QUALITY).key);
  });
});

describe("motion blur", () => {
  const x = { keyframes: [0, 24].map((frame) => ({ frame, value: frame * 4, ease: "linear" as const })) };
  const still = { x: 0, y: 0, anchorX: 0, anchorY: 0, scale: 1, rotation: 0 };
  const motionBlur = { enabled: true, shutter: 180, samples: 4 };
  const blurred = (transform: object) =>
    document([layer("square", "solid", {}, { transform: { ...still, ...transform }, motionBlur })]);

  test("samples lie in the middle of equal parts of the time that the shutter is open", () => {
    expect(shutterMoments(motionBlur)).toEqual([-0.1875, -0.0625, 0.0625, 0.1875]);
    expect(shutterMoments({ enabled: true, shutter: 360, samples: 2 })).toEqual([-0.25, 0.25]);
  });

  test("a layer that moves is the mean of its samples, one that stands still is drawn once", () => {
    const { root } = buildGraph(blurred({ x }), 10, half);
    const [mean] = root.inputs;
    expect(mean).toMatchObject({ kind: "stack", layer: "square" });
    expect(mean!.inputs).toHaveLength(4);
    expect(mean!.kind === "stack" && mean!.placements.every(({ opacity }) => opacity === 0.25)).toBe(true);
    expect(inOrder(buildGraph(blurred({ x: 7 }), 10, half).root).map(({ kind }) => kind)).toEqual([
      "solid",
      "place",
      "stack",
    ]);
  });

  test("samples that show the same are drawn once and weigh as many", () => {
    const hold = {
      keyframes: [
        { frame: 0, value: 0, ease: "hold" as const },
        { frame: 10, value: 9, ease: "hold" as const },
      ],
    };
    const [mean] = buildGraph(blurred({ x: hold, y: 3 }), 10, half).root.inputs;
    expect(mean!.kind === "stack" && mean!.placements.map(({ opacity }) => opacity)).toEqual([0.5, 0.5]);
  });

  test("the preview can leave it out, which is then the picture without", () => {
    const off = { ...half, motionBlur: false };
    const sharp = document([layer("square", "solid", {}, { transform: { ...still, x } })]);
    expect(frameKey(blurred({ x }), 10, off)).toBe(frameKey(sharp, 10, half));
  });
});

test("effects of one layer can be left out of the preview, and of no other", () => {
  const blur = { effects: [effect("gaussianBlur")] };
  const value = document([layer("sky", "noise", {}, blur), layer("birds", "flock", {}, blur)]);
  const blurredLayers = (settings: RenderSettings) =>
    inOrder(buildGraph(value, 0, settings).root)
      .filter(({ kind }) => kind === "gaussianBlur")
      .map(({ layer: id }) => id);
  expect(blurredLayers(half)).toEqual(["sky", "birds"]);
  expect(blurredLayers({ ...half, effectsOff: ["sky"] })).toEqual(["birds"]);
});

test("a nested composition rendered smaller fills the same place with fewer pixels", () => {
  const inner = { ...document([layer("birds", "flock")]).compositions.main!, id: "inner" };
  const nested = (rendered: string) => {
    const outer = document([
      layer(
        "nest",
        "composition",
        { composition: "inner", rendered },
        { transform: { x: 20, y: 10, anchorX: 8, anchorY: 4, scale: 0.25, rotation: 30 } },
      ),
    ]);
    return buildGraph({ ...outer, compositions: { ...outer.compositions, inner } }, 0, FULL_QUALITY).root.inputs[0]!;
  };
  const [whole, small] = [nested("100 %"), nested("25 %")];
  expect(whole.inputs[0]!.window).toMatchObject({ width: 64, height: 36 });
  expect(small.inputs[0]!.window).toMatchObject({ width: 16, height: 9 });
  expect(small.window).toEqual(whole.window);
});

describe("bakes", () => {
  const value = document([layer("sky", "noise"), layer("birds", "flock", {}, { effects: [effect("glow")] })]);
  const how = { fraction: 1, renderer: "cpu-1", depth: "half" } as const;
  const target = { composition: "main", layer: "birds" };
  const range = { in: 4, out: 10 };
  const bake: Bake = {
    id: "bake",
    target,
    range,
    ...how,
    location: "main",
    sequence: "stored",
    keys: [4, 5, 6, 7, 8, 9].map((frame) => buildBakeGraph(value, target, frame, how).liveKey),
    packed: true,
    complete: true,
    enabled: true,
    locked: false,
  };
  const birds = (of: Document, frame: number, bakes: Bakes, settings = half) =>
    buildGraph(of, frame, settings, bakes).root.inputs.at(-1)!;
  const edited = applyEdit(value, {
    kind: "effectParameter",
    layer: "birds",
    effect: "glow",
    name: "strength",
    value: 90,
  });

  test("stored pictures are played in the layer's place, at every size and with any effects setting", () => {
    const bakes = new Bakes([bake]);
    for (const settings of [half, FULL_QUALITY, { ...half, effects: "None" } as const])
      expect(birds(value, 6, bakes, settings)).toMatchObject({
        kind: "sequence",
        parameters: { sequence: "stored", frame: 2, width: 64, height: 36 },
        window: { width: 64 * settings.fraction, height: 36 * settings.fraction },
      });
    expect(birds(value, 3, bakes).kind).toBe("glow");
    expect(birds(value, 10, bakes).kind).toBe("glow");
  });

  test("an edit underneath brings the live layer back, undoing it the bake; locked, it is played all the same", () => {
    expect(birds(edited, 6, new Bakes([bake])).kind).toBe("glow");
    expect(birds(value, 6, new Bakes([bake])).kind).toBe("sequence");
    expect(birds(edited, 6, new Bakes([{ ...bake, locked: true }])).kind).toBe("sequence");
    const sky = applyEdit(value, { kind: "sourceParameter", layer: "sky", name: "detail", value: 2 });
    expect(birds(sky, 6, new Bakes([bake])).kind).toBe("sequence");
  });

  test("one that is switched off, or a picture that cannot be read, leaves the live layer", () => {
    expect(birds(value, 6, new Bakes([{ ...bake, enabled: false }])).kind).toBe("glow");
    const damaged = new Bakes([bake], new Set(["stored/2"]));
    expect(birds(value, 6, damaged).kind).toBe("glow");
    expect(birds(value, 7, damaged).kind).toBe("sequence");
  });

  test("what is baked is in the frame's key, and equal pictures have equal keys wherever they are stored", () => {
    const at = (one: Bake) => buildGraph(value, 6, half, new Bakes([one])).key;
    expect(at(bake)).not.toBe(frameKey(value, 6, half));
    expect(at({ ...bake, sequence: "elsewhere" })).toBe(at(bake));
    expect(at({ ...bake, depth: "8-bit" })).not.toBe(at(bake));
  });

  test("a copy in another variant is played from the bake too, unless it is locked to where it was made", () => {
    const variant = applyEdit(value, { kind: "variantAdded", name: "Dusk" });
    expect(birds(variant, 6, new Bakes([bake])).kind).toBe("sequence");
    expect(birds(variant, 6, new Bakes([{ ...bake, locked: true }])).kind).toBe("glow");
  });

  test("a whole composition can be baked, and is as large as it wherever its layers end", () => {
    const whole = { composition: "main" };
    const graph = buildBakeGraph(value, whole, 0, how);
    const baked = { ...bake, target: whole, range: { in: 0, out: 1 }, keys: [graph.liveKey] };
    expect(buildGraph(value, 0, half, new Bakes([baked])).root.kind).toBe("sequence");
    const one = buildBakeGraph(value, target, 0, how);
    expect([one.root.window, one.depth]).toEqual([{ x: 0, y: 0, width: 64, height: 36 }, "half"]);
  });

  test("what is not there is named", () => {
    expect(() => buildBakeGraph(value, { composition: "sea" }, 0, how)).toThrow('There is no composition "sea"');
    expect(() => buildBakeGraph(value, { ...target, layer: "sea" }, 0, how)).toThrow('Main has no layer "sea"');
    expect(() => buildBakeGraph(value, target, 24, how)).toThrow("Frame 24 is outside Main");
  });
});

test("a sequence shows its pictures by number, and nothing where there was no file", () => {
  const asset = {
    kind: "sequence" as const,
    width: 32,
    height: 18,
    rate: { numerator: 24, denominator: 1 },
    duration: 4,
    sequence: "stored",
    digest: "0".repeat(32),
    gaps: [2],
  };
  const value = document([layer("plates", "sequence", { asset: "plates" })], { assets: { plates: asset } });
  const shown = (frame: number) =>
    buildGraph(value, frame, FULL_QUALITY).root.inputs.map((node) => "parameters" in node && node.parameters.frame);
  expect([0, 1, 2, 3, 4].map(shown)).toEqual([[0], [1], [], [3], []]);
});
