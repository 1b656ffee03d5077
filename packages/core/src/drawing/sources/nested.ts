import { choice, number, type Kind } from "../parameter";

/** Sizes at which a nested composition may be rendered before it is placed, as fractions of its edge. */
export const NESTED_SIZES: Readonly<Record<string, number>> = {
  "100 %": 1,
  "50 %": 1 / 2,
  "33 %": 1 / 3,
  "25 %": 1 / 4,
};

/** How a nested composition is put on what is below it: composed first, or each of its layers as if it lay there itself. */
const BLENDINGS = ["As one picture", "Layer by layer"] as const;

/** A composition as a layer of another. It has a graph of its own, and is not drawn as one piece. */
export const composition = {
  label: "Nested composition",
  version: 1,
  parameters: {
    composition: { type: "reference", label: "Composition", to: "composition" },
    offset: number("Starts at frame", "", [0, 1000000, 0, 1]),
    rendered: choice("Rendered at", Object.keys(NESTED_SIZES)),
    blending: choice("Blending", BLENDINGS),
  },
} as const satisfies Kind;
