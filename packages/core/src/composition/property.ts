import { EFFECTS, SOURCES, type Parameter, type Parameters } from "../drawing";
import type { Animated } from "./animation";
import type { Layer, ParameterValue, Transform } from "./document";
import type { Edit } from "./edit";

/** Where a number of a layer stands that may be animated. */
export type PropertyPlace =
  | { readonly of: "transform"; readonly name: keyof Transform }
  | { readonly of: "opacity" }
  | { readonly of: "source"; readonly name: string }
  | { readonly of: "effect"; readonly effect: string; readonly name: string };

/** A number of a layer that may be animated, in the unit in which it is shown. */
export interface Property {
  readonly place: PropertyPlace;
  readonly label: string;
  readonly unit: string;
  readonly min: number;
  readonly max: number;
  readonly step: number;
  /** How often the stored value goes into the shown one: 100 for a fraction that is shown in per cent. */
  readonly per: number;
  readonly value: Animated;
}

type Shown = Omit<Property, "place" | "value">;

const pixels = { unit: "px", min: -65_536, max: 65_536, step: 1, per: 1 };
const percent = { unit: "%", step: 0.1, per: 100 };

const OPACITY: Shown = { label: "Opacity", min: 0, max: 100, ...percent };
const TRANSFORM: Readonly<Record<keyof Transform, Shown>> = {
  x: { label: "Position X", ...pixels },
  y: { label: "Position Y", ...pixels },
  anchorX: { label: "Anchor X", ...pixels },
  anchorY: { label: "Anchor Y", ...pixels },
  scale: { label: "Scale", min: 0.1, max: 10_000, ...percent },
  rotation: { label: "Rotation", unit: "°", min: -36_000, max: 36_000, step: 0.1, per: 1 },
};

function numbersOf(
  specs: Parameters,
  values: Readonly<Record<string, ParameterValue>>,
  placeOf: (name: string) => PropertyPlace,
): Property[] {
  return Object.entries(specs).flatMap(([name, spec]: [string, Parameter]) => {
    if (spec.type !== "number") return [];
    const { label, unit, min, max, step } = spec;
    return [{ place: placeOf(name), label, unit, min, max, step, per: 1, value: values[name] as Animated }];
  });
}

/** All numbers of a layer: where it is put, how opaque it is, what its source and its effects are given. */
export function propertiesOf({ transform, opacity, source, effects }: Layer): Property[] {
  const placed = Object.entries(TRANSFORM) as [keyof Transform, Shown][];
  return [
    ...placed.map(([name, shown]) => ({ place: { of: "transform", name } as const, ...shown, value: transform[name] })),
    { place: { of: "opacity" }, ...OPACITY, value: opacity },
    ...numbersOf(SOURCES[source.kind].parameters, source.parameters, (name) => ({ of: "source", name })),
    ...effects.flatMap(({ id, kind, parameters }) =>
      numbersOf(EFFECTS[kind].parameters, parameters, (name) => ({ of: "effect", effect: id, name })).map((one) => ({
        ...one,
        label: `${EFFECTS[kind].label}: ${one.label}`,
      })),
    ),
  ];
}

/** Names a property among those of its layer. */
export function propertyId(place: PropertyPlace): string {
  switch (place.of) {
    case "opacity":
      return "opacity";
    case "effect":
      return `effect-${place.effect}-${place.name}`;
    default:
      return `${place.of}-${place.name}`;
  }
}

/** The edit that gives a property of a layer a value. */
export function propertyEdit(layer: string, place: PropertyPlace, value: Animated): Edit {
  switch (place.of) {
    case "transform":
      return { kind: "layerTransform", layer, change: { [place.name]: value } };
    case "opacity":
      return { kind: "layerOpacity", layer, opacity: value };
    case "source":
      return { kind: "sourceParameter", layer, name: place.name, value };
    case "effect":
      return { kind: "effectParameter", layer, effect: place.effect, name: place.name, value };
  }
}
