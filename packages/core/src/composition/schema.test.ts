import { demoText, document, effect, layer } from "../../../../testing/documents";
import { DOCUMENT_VERSION } from "./document";
import { DocumentError, migrateDocument } from "./migration";
import { parseDocument, parseDocumentText } from "./schema";

type Loose = Record<string, any>; // eslint-disable-line @typescript-eslint/no-explicit-any -- broken on purpose

function problemsOf(change: (value: Loose) => void): readonly string[] {
  const value = structuredClone(document([layer("sky", "gradient", {}, { effects: [effect("grade")] })])) as Loose;
  change(value);
  try {
    parseDocument(value);
  } catch (error) {
    if (error instanceof DocumentError) return error.problems;
    throw error;
  }
  return [];
}

test.each(["night-roost", "ringing-station", "estuary-map", "flyway-titles"])(
  "the demo composition %s is accepted and survives export and import",
  (id) => {
    const parsed = parseDocumentText(demoText(id));
    expect(parseDocumentText(JSON.stringify(parsed))).toEqual(parsed);
  },
);

test("every error says where and what would be right", () => {
  expect(problemsOf((d) => (d.compositions.main.width = -4))).toEqual([
    expect.stringMatching(/^compositions\.main\.width: must be greater than or equal to 1/),
  ]);
  expect(problemsOf((d) => (d.compositions.main.layers[0].blend = "sideways"))).toEqual([
    expect.stringMatching(/^compositions\.main\.layers\[0\]\.blend: must be one of \[normal, add/),
  ]);
  expect(problemsOf((d) => (d.compositions.main.layers[0].effects[0].parameters.exposure = 99))).toEqual([
    expect.stringMatching(/layers\[0\]\.effects\[0\]\.parameters\.exposure: must be less than or equal to 8/),
  ]);
  expect(problemsOf((d) => delete d.compositions.main.layers[0].source.parameters.colour1)).toEqual([
    expect.stringMatching(/colour1: is required/),
  ]);
  expect(problemsOf((d) => (d.compositions.main.layers[0].surprise = 1))).toEqual([
    expect.stringMatching(/surprise: is not allowed/),
  ]);
});

test("several problems are all named", () => {
  expect(
    problemsOf((d) => {
      d.depth = "9-bit";
      d.compositions.main.duration = 1.5;
      d.compositions.main.layers[0].range.out = 0;
    }),
  ).toHaveLength(3);
});

test("keyframes must rise, and numbers must be finite", () => {
  const keys = (frames: number[]) => ({ keyframes: frames.map((frame) => ({ frame, value: 0.5, ease: "linear" })) });
  expect(problemsOf((d) => (d.compositions.main.layers[0].opacity = keys([0, 10, 20])))).toEqual([]);
  expect(problemsOf((d) => (d.compositions.main.layers[0].opacity = keys([0, 10, 10])))).toEqual([
    expect.stringMatching(/opacity\.keyframes: .*must rise/),
  ]);
  expect(problemsOf((d) => (d.compositions.main.layers[0].opacity = Infinity))).toHaveLength(1);
});

test("references must lead somewhere, of the right kind", () => {
  expect(problemsOf((d) => (d.main = "nowhere"))).toEqual(['main: no composition has the id "nowhere"']);
  expect(problemsOf((d) => (d.main = "constructor"))).toEqual(['main: no composition has the id "constructor"']);
  expect(
    problemsOf((d) => (d.compositions.main.layers[0].source = { kind: "svg", parameters: { asset: "gone" } })),
  ).toEqual(['compositions.main.layers[0].source.parameters.asset: there is no svg "gone"']);
});

test("a composition that contains itself is refused, with the way round", () => {
  const nested = (target: string) => layer("nest", "composition", { composition: target, offset: 0 });
  const value = document([nested("other")]);
  const other = { ...value.compositions.main!, id: "other", layers: [nested("main")] };
  expect(() => parseDocument({ ...value, compositions: { ...value.compositions, other } })).toThrow(
    "main → other → main contains itself",
  );
});

test("version 1 with decimal rates is migrated to exact ones", () => {
  const current = document([layer("sky", "gradient")]) as Loose;
  const { rate: _, ...main } = current.compositions.main;
  const { depth: __, ...rest } = current;
  const old = { ...rest, version: 1, compositions: { main: { ...main, fps: 29.97 } } };
  const migrated = parseDocument(old);
  expect(migrated.version).toBe(DOCUMENT_VERSION);
  expect(migrated.compositions.main!.rate).toEqual({ numerator: 30000, denominator: 1001 });
  expect(migrated.depth).toBe("8-bit");
});

test("version 2 gets one variant and layers without motion blur; solo, which is of the preview, is left out", () => {
  const current = document([layer("nest", "composition", { composition: "inner" })]) as Loose;
  const inner = { ...current.compositions.main, id: "inner", layers: [] };
  const [nest] = current.compositions.main.layers;
  const { motionBlur: _, ...rest } = nest;
  const { rendered: __, ...parameters } = nest.source.parameters;
  const old = { ...rest, solo: true, source: { kind: "composition", parameters } };
  const { variants: ___, ...document2 } = current;
  const compositions = { main: { ...current.compositions.main, layers: [old] }, inner };
  expect(parseDocument({ ...document2, version: 2, compositions })).toEqual({
    ...current,
    compositions: { ...current.compositions, inner },
  });
});

test("version 3 gets layers whose own time begins where it did: media with their range, all else with frame 0", () => {
  const range = { in: 6, out: 12 };
  const current = document([
    layer("nest", "composition", { composition: "inner" }, { range, start: 6 }),
    layer("sky", "noise", {}, { range }),
  ]) as Loose;
  const inner = { ...current.compositions.main, id: "inner", layers: [] };
  const old = current.compositions.main.layers.map(({ start: _, source, ...rest }: Loose) => {
    const { blending: __, ...parameters } = source.parameters;
    return { ...rest, source: { ...source, parameters } };
  });
  const before = { ...current.compositions.main, layers: old };
  const states = [1, 2].map((n) => ({
    ...current,
    version: 3,
    compositions: { main: { ...before, name: `${n}` }, inner },
  }));
  const migrated = states.map((state) => parseDocument(state));
  expect(migrated[0]!.compositions.main).toEqual({ ...current.compositions.main, name: "1" });
  // Two states of a history share what they shared.
  const [first, second] = states.map((state) => (migrateDocument(state) as Loose).compositions.main.layers);
  expect(first[0]).toBe(second[0]);
});

test("what is open is a variant or shown in one, and each variant is there", () => {
  expect(problemsOf((d) => (d.variants = [{ composition: "dusk", name: "Dusk" }]))).toEqual([
    'variants[0].composition: no composition has the id "dusk"',
  ]);
  const dusk = (d: Loose) => (d.compositions.dusk = { ...d.compositions.main, id: "dusk", layers: [] });
  expect(
    problemsOf((d) => {
      dusk(d);
      d.main = "dusk";
    }),
  ).toEqual(['variants: none of them is or shows "dusk", which main names']);
  expect(
    problemsOf((d) => {
      dusk(d);
      d.compositions.main.layers = [layer("nest", "composition", { composition: "dusk" })];
      d.main = "dusk";
    }),
  ).toEqual([]);
  expect(problemsOf((d) => (d.variants = []))).toHaveLength(1);
});

test("a newer version, another format, and what is not JSON are refused clearly", () => {
  expect(() => parseDocument({ ...document([]), version: 99 })).toThrow(/version: 99 was written by a newer release/);
  expect(() => parseDocument({ ...document([]), version: "2" })).toThrow(/version: expected a whole number/);
  expect(() => parseDocument({ format: "something-else" })).toThrow(
    /format: expected "kinetocache-composition", found "something-else"/,
  );
  expect(() => parseDocumentText("{ nope")).toThrow(/The file is not JSON/);
  expect(() => parseDocumentText("[]")).toThrow(DocumentError);
  expect(() => parseDocumentText("null")).toThrow(/holds one JSON object/);
});

test("ids that could lead out of a folder or into an object's prototype are refused", () => {
  for (const id of ["../up", "a/b", "", "A", "x".repeat(65)]) expect(problemsOf((d) => (d.id = id))).not.toEqual([]);
  const hostile = JSON.stringify(document([])).replace('"assets":{}', '"assets":{"__proto__":{"kind":"svg"}}');
  expect(() => parseDocumentText(hostile)).toThrow("__proto__: is not allowed as a name");
});

test("a clip has a size, a rate, a length and a file", () => {
  const clip = {
    kind: "clip",
    width: 480,
    height: 270,
    rate: { numerator: 25, denominator: 1 },
    duration: 150,
    base64: "AAAA",
  };
  expect(problemsOf((d) => (d.assets.nest = clip))).toEqual([]);
  expect(problemsOf((d) => (d.assets.nest = { ...clip, duration: 0 }))).toEqual([
    expect.stringMatching(/^assets\.nest\.duration: must be greater than or equal to 1/),
  ]);
  expect(problemsOf((d) => (d.assets.nest = { ...clip, rate: undefined }))).toEqual([
    expect.stringMatching(/^assets\.nest\.rate: is required/),
  ]);
  expect(problemsOf((d) => (d.assets.nest = { ...clip, base64: "not base64" }))).toHaveLength(1);
  const file = { name: "dawn.mp4", bytes: 9, modifiedMs: 1, fingerprint: "0".repeat(32), codec: "avc1.640028" };
  const { base64: _, ...shape } = clip;
  expect(problemsOf((d) => (d.assets.nest = { ...shape, file }))).toEqual([]);
  expect(problemsOf((d) => (d.assets.nest = { ...shape, file: { ...file, group: 250 } }))).toEqual([]);
  // Where it lies is not said: that is another place on another machine.
  expect(problemsOf((d) => (d.assets.nest = { ...shape, file: { ...file, path: "/home/me" } }))).toEqual([
    expect.stringMatching(/^assets\.nest\.file\.path/),
  ]);
  expect(problemsOf((d) => (d.assets.nest = { ...shape, file: { ...file, fingerprint: "0" } }))).toHaveLength(1);
  expect(problemsOf((d) => (d.assets.nest = { ...clip, file }))).toHaveLength(1);
  expect(problemsOf((d) => (d.assets.nest = shape))).toHaveLength(1);
});
