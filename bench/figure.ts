/** One measured value with its limit, and whatever explains it. */
export interface Figure {
  readonly value: number;
  readonly unit: string;
  readonly limit: string;
  readonly [detail: string]: unknown;
}

/** A figure, or the same figure in several cases. */
export type Measured = Figure | Readonly<Record<string, Figure>>;

export type Measure = () => Promise<Measured>;
