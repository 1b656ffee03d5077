import { BLEND_MODES, encodePng, type Document, type EffectKind, type Layer, type SourceKind } from "@kinetocache/core";
import { document, effect, layer } from "../documents";
import { randoms } from "../pictures";

interface ParityCase {
  readonly name: string;
  readonly document: Document;
}

const rate = { numerator: 24, denominator: 1 };
const MOVES = { keyframes: [0, 24].map((frame) => ({ frame, value: frame * 20, ease: "linear" as const })) };

const TURNED = { x: 70, y: 40, anchorX: 60, anchorY: 30, scale: 0.8, rotation: 17 };

function still(width: number, height: number): string {
  const next = randoms(7);
  const pixels = Uint8Array.from({ length: width * height * 4 }, () => next() * 256);
  return encodePng({ width, height, depth: "8-bit", pixels });
}

const assets: Document["assets"] = {
  still: { kind: "png", width: 150, height: 70, base64: still(150, 70) },
  large: { kind: "png", width: 700, height: 330, base64: still(700, 330) },
  plates: {
    kind: "sequence",
    width: 90,
    height: 50,
    rate,
    duration: 3,
    sequence: "plates",
    digest: "0".repeat(32),
    gaps: [],
  },
  title: {
    kind: "svg",
    width: 131,
    height: 67,
    text: '<svg xmlns="http://www.w3.org/2000/svg" width="131" height="67"><circle cx="60" cy="30" r="25" fill="#c86" fill-opacity=".6"/><text x="8" y="40" font-size="24" fill="#fff">Estuary</text></svg>',
  },
};

/** 131 × 67, no multiple of anything, so that edges and remainders are met. */
function sized(layers: readonly Layer[], depth: Document["depth"] = "8-bit"): Document {
  const plain = document(layers, { assets, depth });
  return { ...plain, compositions: { main: { ...plain.compositions.main!, width: 131, height: 67 } } };
}

/** Colour, texture, clear parts and soft edges. */
const textured = (effects: Layer["effects"] = [], change: Partial<Layer> = {}): Layer[] => [
  layer("sky", "gradient", { shape: "radial", x0: 40, y0: 20, x1: 120, y1: 60, opacity2: 30 }),
  layer(
    "birds",
    "flock",
    { colour: "#e8c070", count: 40, wingspan: 30, centreX: 65, centreY: 33 },
    { effects, ...change },
  ),
];

const sources: readonly [SourceKind, Layer["source"]["parameters"]][] = [
  ["solid", { colour: "#4a7a90" }],
  ["gradient", { shape: "linear", x1: 130, y1: 60, opacity0: 20, position: 30 }],
  ["gradient", { shape: "radial", x0: 60, y0: 30, x1: 100, y1: 60, opacity2: 0 }],
  ["noise", { size: 30, stretch: 3, detail: 6, driftX: 40, evolution: 2 }],
  ["flock", { count: 300, wingspan: 25, centreX: 60, centreY: 30, spread: 90 }],
  ["png", { asset: "still" }],
  ["png", { asset: "large" }],
  ["svg", { asset: "title" }],
];

/** Each effect with the values at which it takes each of its ways. */
const effects: readonly [EffectKind, Layer["effects"][number]["parameters"]][] = [
  ["gaussianBlur", { radius: 3.3 }],
  ["gaussianBlur", { radius: 60, edges: "repeat" }],
  ["directionalBlur", { length: 33, angle: 30 }],
  ["directionalBlur", { length: 3, angle: -90 }],
  ["glow", { threshold: 10, radius: 21, strength: 180 }],
  ["grade", { exposure: 0.7, temperature: 40, tint: -30, contrast: 160, saturation: 140 }],
  ["grade", { exposure: -1, contrast: 100, saturation: 0 }],
  ["grain", { amount: 60, size: 1.7 }],
  ["displacement", { amount: 18, size: 24, detail: 3 }],
  ["displacement", { amount: 40, size: 60, edges: "repeat" }],
];

function named(kind: string, values: object): string {
  return `${kind} ${JSON.stringify(values)}`;
}

/** Every source, transform, blend mode and depth. */
export function otherCases(): ParityCase[] {
  const over = (change: Partial<Layer>) => sized([...textured(), layer("over", "noise", { size: 20 }, change)]);
  return [
    ...sources.map(([kind, values]) => ({ name: named(kind, values), document: sized([layer("one", kind, values)]) })),
    ...BLEND_MODES.map((blend) => ({ name: `blend mode ${blend}`, document: over({ blend, opacity: 0.7 }) })),
    { name: "turned and scaled", document: over({ transform: TURNED, blend: "screen" }) },
    {
      name: "motion blur",
      document: over({
        transform: { ...TURNED, x: MOVES },
        motionBlur: { enabled: true, shutter: 270, samples: 5 },
        blend: "screen",
      }),
    },
    ...[0, 1, 2].map((offset) => ({
      name: `stored picture ${offset}`,
      document: sized([layer("one", "sequence", { asset: "plates", offset })]),
    })),
    { name: "half", document: sized(textured([effect("glow", { threshold: 10 })]), "half") },
    { name: "float", document: sized(textured([effect("glow", { threshold: 10 })]), "float") },
    { name: "nothing", document: sized([]) },
  ];
}

/** Every effect, on what covers the picture and on what does not, also where the layer is turned. */
export function effectCases(): (ParityCase & { readonly kind: EffectKind })[] {
  return effects.flatMap(([kind, values]) => [
    { kind, name: named(kind, values), document: sized(textured([effect(kind, values)])) },
    {
      kind,
      name: `${named(kind, values)} on a turned layer`,
      document: sized(textured([effect(kind, values)], { transform: TURNED })),
    },
  ]);
}
