import { EFFECTS, type Layer, type Waste, type WasteKind } from "@kinetocache/core";

const KINDS: Readonly<Record<WasteKind, string>> = {
  covered: "Fully covered",
  outside: "Outside the picture",
  transparent: "Transparent",
  trimmed: "Trimmed beyond the end",
  "off here, shown there": "Switched off, and still rendered",
  "effect without result": "Effect without visible result",
  "nested too large": "Larger than what is seen of it",
};

/** What kind of waste it is. */
export function wasteText({ kind, effect }: Waste, layer: Layer): string {
  const found = layer.effects.find(({ id }) => id === effect);
  return found ? `${KINDS[kind]}: ${EFFECTS[found.kind].label}` : KINDS[kind];
}

/** What the remedy does, as the button says it. */
export function remedyText({ remedy }: Waste, layer: Layer): string {
  switch (remedy.kind) {
    case "layerEnabled":
      return `Switch ${layer.name} off`;
    case "layerRange":
      return `End it at frame ${remedy.range.out - 1}`;
    case "effectEnabled": {
      const effect = layer.effects.find(({ id }) => id === remedy.effect);
      return `Switch ${effect ? EFFECTS[effect.kind].label : "the effect"} off`;
    }
    case "sourceParameter":
      return `Render it at ${String(remedy.value)}`;
    default:
      return "Take it away";
  }
}
