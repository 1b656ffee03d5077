import { effectCases } from "../testing/parity/cases";
import { Parity } from "../testing/parity/parity";
import type { Figure, Measure } from "./figure";

/** Largest difference of a graphics device's pixels from the processor's, by effect, at 8-bit. */
export const gpuParityMaxDiff: Measure = async () => {
  const parity = await Parity.open();
  try {
    const figures: Record<string, Figure> = {};
    for (const { kind, document } of effectCases()) {
      const { difference, written } = await parity.compare(document, [0, 7, 19]);
      if (written === 0) throw new Error(`Nothing was drawn of ${kind}`);
      const value = Math.max(difference, figures[kind]?.value ?? 0);
      figures[kind] = { value, unit: "steps of 255", limit: "at most 2" };
    }
    return figures;
  } finally {
    await parity.close();
  }
};
