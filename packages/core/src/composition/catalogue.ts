/**
 * Every source and effect with its parameters: what the document may hold, what a screen offers, and what
 * enters the content key. The pixels are made in `render/`, one file a kind.
 */

interface NumberParameter {
  readonly type: "number";
  readonly label: string;
  readonly unit: string;
  readonly min: number;
  readonly max: number;
  readonly default: number;
  readonly step: number;
  /** A length in composition pixels: scaled with the preview size. */
  readonly spatial?: true;
}

interface ColourParameter {
  readonly type: "colour";
  readonly label: string;
  readonly default: string;
}

interface ChoiceParameter {
  readonly type: "choice";
  readonly label: string;
  readonly options: readonly string[];
  readonly default: string;
}

/** Id of an entry of the document's `assets` or `compositions`. */
interface ReferenceParameter {
  readonly type: "reference";
  readonly label: string;
  readonly to: "svg" | "png" | "clip" | "sequence" | "composition";
}

export type Parameter = NumberParameter | ColourParameter | ChoiceParameter | ReferenceParameter;
export type Parameters = Readonly<Record<string, Parameter>>;

interface Kind {
  readonly label: string;
  /** Raised when the same parameters give other pixels, so that cached frames of the old code are not used. */
  readonly version: number;
  readonly parameters: Parameters;
}

interface Effect extends Kind {
  /** Light effects stay on in the preview when effects are set to Light only. */
  readonly weight: "light" | "heavy";
}

const number = (
  label: string,
  unit: string,
  [min, max, initial, step]: [number, number, number, number],
): NumberParameter => ({ type: "number", label, unit, min, max, default: initial, step });

const length = (label: string, range: [number, number, number, number]): NumberParameter => ({
  ...number(label, "px", range),
  spatial: true,
});

const colour = (label: string, initial: string): ColourParameter => ({ type: "colour", label, default: initial });

const choice = (label: string, options: readonly string[]): ChoiceParameter => ({
  type: "choice",
  label,
  options,
  default: options[0]!,
});

/** Sizes at which a nested composition may be rendered before it is placed, as fractions of its edge. */
export const NESTED_SIZES: Readonly<Record<string, number>> = {
  "100 %": 1,
  "50 %": 1 / 2,
  "33 %": 1 / 3,
  "25 %": 1 / 4,
};

const EDGES = choice("Edges", ["transparent", "repeat"]);
const seed = number("Seed", "", [0, 65535, 1, 1]);

export const SOURCES = {
  solid: { label: "Solid", version: 1, parameters: { colour: colour("Colour", "#808080") } },
  gradient: {
    label: "Gradient",
    version: 1,
    parameters: {
      shape: choice("Shape", ["linear", "radial"]),
      x0: length("Start x", [-16384, 16384, 0, 1]),
      y0: length("Start y", [-16384, 16384, 0, 1]),
      x1: length("End x", [-16384, 16384, 0, 1]),
      y1: length("End y", [-16384, 16384, 1080, 1]),
      colour0: colour("Start colour", "#20304a"),
      opacity0: number("Start opacity", "%", [0, 100, 100, 1]),
      position: number("Middle position", "%", [1, 99, 50, 1]),
      colour1: colour("Middle colour", "#7a5a60"),
      opacity1: number("Middle opacity", "%", [0, 100, 100, 1]),
      colour2: colour("End colour", "#e0a060"),
      opacity2: number("End opacity", "%", [0, 100, 100, 1]),
    },
  },
  noise: {
    label: "Procedural noise",
    version: 1,
    parameters: {
      colour: colour("Colour", "#ffffff"),
      size: length("Size", [2, 4096, 200, 1]),
      stretch: number("Stretch", "×", [0.1, 20, 1, 0.1]),
      detail: number("Detail", "octaves", [1, 8, 4, 1]),
      low: number("Empty below", "%", [0, 100, 35, 1]),
      high: number("Full above", "%", [0, 100, 75, 1]),
      driftX: length("Drift x", [-4096, 4096, 0, 1]),
      driftY: length("Drift y", [-4096, 4096, 0, 1]),
      evolution: number("Evolution", "a second", [0, 10, 0.2, 0.05]),
      seed,
    },
  },
  flock: {
    label: "Flock",
    version: 1,
    parameters: {
      colour: colour("Colour", "#10141c"),
      count: number("Birds", "", [1, 20000, 200, 1]),
      wingspan: length("Wingspan", [2, 400, 40, 1]),
      spread: number("Spread", "%", [1, 200, 40, 1]),
      speed: number("Speed", "a second", [0, 10, 1, 0.1]),
      centreX: length("Centre x", [-16384, 16384, 960, 1]),
      centreY: length("Centre y", [-16384, 16384, 400, 1]),
      seed,
    },
  },
  svg: { label: "SVG artwork", version: 1, parameters: { asset: { type: "reference", label: "Artwork", to: "svg" } } },
  png: { label: "PNG still", version: 1, parameters: { asset: { type: "reference", label: "Still", to: "png" } } },
  clip: {
    label: "Clip",
    version: 1,
    parameters: {
      asset: { type: "reference", label: "Clip", to: "clip" },
      offset: number("Starts at frame", "", [0, 1000000, 0, 1]),
    },
  },
  sequence: {
    label: "Image sequence",
    version: 1,
    parameters: {
      asset: { type: "reference", label: "Sequence", to: "sequence" },
      offset: number("Starts at frame", "", [0, 1000000, 0, 1]),
    },
  },
  composition: {
    label: "Nested composition",
    version: 1,
    parameters: {
      composition: { type: "reference", label: "Composition", to: "composition" },
      offset: number("Starts at frame", "", [0, 1000000, 0, 1]),
      rendered: choice("Rendered at", Object.keys(NESTED_SIZES)),
    },
  },
} as const satisfies Record<string, Kind>;

export const EFFECTS = {
  gaussianBlur: {
    label: "Gaussian blur",
    version: 1,
    weight: "heavy",
    parameters: { radius: length("Radius", [0, 500, 16, 1]), edges: EDGES },
  },
  directionalBlur: {
    label: "Directional blur",
    version: 1,
    weight: "heavy",
    parameters: { length: length("Length", [0, 1000, 40, 1]), angle: number("Angle", "°", [-360, 360, 0, 1]) },
  },
  glow: {
    label: "Glow",
    version: 1,
    weight: "heavy",
    parameters: {
      threshold: number("Threshold", "%", [0, 100, 60, 1]),
      radius: length("Radius", [1, 500, 30, 1]),
      strength: number("Strength", "%", [0, 400, 60, 1]),
    },
  },
  grade: {
    label: "Colour grade",
    version: 1,
    weight: "light",
    parameters: {
      exposure: number("Exposure", "stops", [-8, 8, 0, 0.05]),
      temperature: number("Warmth", "", [-100, 100, 0, 1]),
      tint: number("Tint", "", [-100, 100, 0, 1]),
      contrast: number("Contrast", "%", [10, 300, 100, 1]),
      saturation: number("Saturation", "%", [0, 300, 100, 1]),
    },
  },
  grain: {
    label: "Grain",
    version: 1,
    weight: "light",
    parameters: { amount: number("Amount", "%", [0, 100, 12, 1]), size: length("Size", [0.5, 20, 2, 0.1]), seed },
  },
  displacement: {
    label: "Displacement",
    version: 1,
    weight: "heavy",
    parameters: {
      amount: length("Amount", [0, 500, 20, 1]),
      size: length("Size", [2, 4096, 160, 1]),
      detail: number("Detail", "octaves", [1, 6, 2, 1]),
      evolution: number("Evolution", "a second", [0, 10, 0.5, 0.05]),
      edges: EDGES,
      seed,
    },
  },
} as const satisfies Record<string, Effect>;

export type SourceKind = keyof typeof SOURCES;
export type EffectKind = keyof typeof EFFECTS;

export const BLEND_MODES = ["normal", "add", "multiply", "screen", "overlay", "darken", "lighten"] as const;
export type BlendMode = (typeof BLEND_MODES)[number];
