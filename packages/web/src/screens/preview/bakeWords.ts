import type { Bake, BakeState } from "@kinetocache/core";
import { fractionText, framesText, msText } from "../../parts/format";
import type { SuggestedBakes } from "../../engine/protocol";

/** How a bake stands, in words; `alarm` where the user should know that something else is shown. */
export function bakeStateText(state: BakeState, { locked }: Bake): { readonly text: string; readonly alarm: boolean } {
  switch (state.kind) {
    case "part":
      return { text: "A part: not played until it is complete", alarm: false };
    case "off":
      return { text: "Switched off: the live layer is shown", alarm: false };
    case "without target":
      return { text: "What was baked is not there any more", alarm: true };
    case "in use": {
      const { frames, outdated, unreadable } = state;
      const share = outdated === frames ? "out of date" : `${outdated} of ${framesText(frames)} out of date`;
      if (unreadable > 0)
        return { text: `${framesText(unreadable)} missing or altered: the live layer is shown there`, alarm: true };
      if (outdated === 0) return { text: "Played, and up to date", alarm: false };
      return locked
        ? { text: `Locked and played, but ${share}`, alarm: true }
        : { text: `${share[0]!.toUpperCase()}${share.slice(1)}: the live layer is shown there`, alarm: true };
    }
  }
}

/** Shorter, for the row of a layer. */
export function bakeRowText(state: BakeState, bake: Bake): string {
  if (state.kind === "part") return "part";
  if (state.kind === "off" || state.kind === "without target") return "off";
  if (state.unreadable > 0) return "damaged";
  if (state.outdated === 0) return bake.locked ? "locked" : "baked";
  return bake.locked ? "locked, old" : "out of date";
}

/** Size, depth and range of a bake. */
export function bakeText({ fraction, depth, packed, range }: Bake): string {
  return `${range.in} – ${range.out - 1} · ${fractionText(fraction)} · ${depth}${packed ? ", packed" : ""}`;
}

/** What a suggestion comes to. */
export function planText(plan: SuggestedBakes): string {
  const total = plan.range.out - plan.range.in;
  const read = `${msText(plan.readMs)} to read a baked frame (est.)`;
  if (plan.chosen.length === 0)
    return `Nothing: with ${read}, nothing that fits the room is quicker baked than live. A smaller bake takes less, and reads faster.`;
  return `${plan.withinThen} instead of ${plan.withinBefore} of ${framesText(total)} within budget, ${msText(plan.meanThenMs)} instead of ${msText(plan.meanBeforeMs)} a frame (est.), with ${read}.`;
}
