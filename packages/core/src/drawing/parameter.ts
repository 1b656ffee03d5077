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

/** Parameters as they are at one frame, lengths scaled to the preview size. */
export type Evaluated = Readonly<Record<string, number | string>>;

export const number = (
  label: string,
  unit: string,
  [min, max, initial, step]: [number, number, number, number],
): NumberParameter => ({ type: "number", label, unit, min, max, default: initial, step });

export const length = (label: string, range: [number, number, number, number]): NumberParameter => ({
  ...number(label, "px", range),
  spatial: true,
});

export const colour = (label: string, initial: string): ColourParameter => ({
  type: "colour",
  label,
  default: initial,
});

export const choice = (label: string, options: readonly string[]): ChoiceParameter => ({
  type: "choice",
  label,
  options,
  default: options[0]!,
});

export const seed = number("Seed", "", [0, 65535, 1, 1]);

/** The moment that is shown, in the time of the layer. */
interface Moment {
  readonly frame: number;
  readonly seconds: number;
}

/** A kind of source or effect, as the document may hold it and a screen offers it. */
export interface Kind {
  readonly label: string;
  /** Raised when the same parameters give other pixels, so that cached frames of the old code are not used. */
  readonly version: number;
  readonly parameters: Parameters;
  /** Parameters that follow from the moment as well: they enter the key only where they change the picture. */
  readonly timed?: (parameters: Evaluated, moment: Moment) => Evaluated;
}
