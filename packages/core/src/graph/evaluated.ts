import { valueAt, type ParameterValues } from "../composition";
import type { Evaluated, Kind } from "../drawing";
import type { Context } from "./context";

const names = new WeakMap<Kind["parameters"], readonly string[]>();

function namesOf(parameters: Kind["parameters"]): readonly string[] {
  const known = names.get(parameters) ?? Object.keys(parameters);
  names.set(parameters, known);
  return known;
}

/** Parameters of a source or an effect at a moment, lengths scaled to the preview size. */
export function evaluated(kind: Kind, values: ParameterValues, context: Context): Evaluated {
  const result: Record<string, number | string> = {};
  for (const name of namesOf(kind.parameters)) {
    const spec = kind.parameters[name]!;
    const value = values[name];
    if (spec.type !== "number") result[name] = value as string;
    else {
      const at = valueAt(value as never, context.frame, context.shutter);
      result[name] = spec.spatial ? at * context.fraction : at;
    }
  }
  const { frame, start, seconds } = context;
  return kind.timed ? { ...result, ...kind.timed(result, { frame: frame - start, seconds }) } : result;
}
