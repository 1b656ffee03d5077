import { choice, colour, length, number, seed, type Kind } from "../drawing/parameter";

/** Sizes at which a nested composition may be rendered before it is placed, as fractions of its edge. */
export const NESTED_SIZES: Readonly<Record<string, number>> = {
  "100 %": 1,
  "50 %": 1 / 2,
  "33 %": 1 / 3,
  "25 %": 1 / 4,
};

/** Every source with its parameters. The pixels are made in `render/sources`, one file a kind. */
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
    timed: ({ evolution, driftX, driftY }, { seconds }) => ({
      evolution: Number(evolution) * seconds,
      driftX: Number(driftX) * seconds,
      driftY: Number(driftY) * seconds,
    }),
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
    timed: ({ speed }, { seconds }) => ({ speed: Number(speed) * seconds }),
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

export type SourceKind = keyof typeof SOURCES;

export const BLEND_MODES = ["normal", "add", "multiply", "screen", "overlay", "darken", "lighten"] as const;
export type BlendMode = (typeof BLEND_MODES)[number];
