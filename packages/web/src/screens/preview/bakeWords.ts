import { isRealTime, type Bake, type BakeState } from "@kinetocache/core";
import { bytesText, durationText, fractionText, framesText, msText, percentText } from "../../parts/format";
import type { BakeOffer, SuggestedBakes } from "../../engine/protocol/event";

/** How a bake stands, in words; `alarm` where the user should know that something else is shown. */
export function bakeStateText(state: BakeState, { locked }: Bake): { readonly text: string; readonly alarm: boolean } {
  switch (state.kind) {
    case "part":
      return { text: "Incomplete: not played until it is finished", alarm: false };
    case "off":
      return { text: "Switched off: the live layer is shown", alarm: false };
    case "without target":
      return { text: "What was baked no longer exists", alarm: true };
    case "layer by layer":
      return { text: "Not played: it is blended layer by layer. Under Layer that can be one picture", alarm: true };
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
  if (state.kind !== "in use") return "off";
  if (state.unreadable > 0) return "damaged";
  if (state.outdated === 0) return bake.locked ? "locked" : "baked";
  return bake.locked ? "locked, old" : "out of date";
}

/** Size, depth and range of a bake. */
export function bakeText({ fraction, depth, packed, range }: Bake): string {
  return `${range.in} – ${range.out - 1} · ${fractionText(fraction)} · ${depth}${packed ? ", packed" : ""}`;
}

/** What a suggestion comes to, against what a take would come to now. */
export function offerText(
  { summary, meanMs, bakeMs, bytes }: BakeOffer,
  { present, presentMs }: Pick<SuggestedBakes, "present" | "presentMs">,
): string {
  const [then, now] = [percentText(summary.onTimeShare), percentText(present.onTimeShare)];
  const share = isRealTime(summary) ? "Should play in real time" : `About ${then} on time`;
  const frame = `A frame that is not held takes ${msText(meanMs)} instead of ${msText(presentMs)}.`;
  return `${share}, ${now} without it (est.). ${frame} Baking takes about ${durationText(bakeMs)} and ${bytesText(bytes)}.`;
}

/** Why nothing is suggested. */
export function noOfferText({ present, triedFrames }: SuggestedBakes): string {
  if (isRealTime(present)) return "It should play in real time as it is (est.): nothing need be baked.";
  return triedFrames > 0
    ? `Nothing: with ${framesText(triedFrames)} tried, no bake that fits gains more than the error of the forecast.`
    : "Nothing: no bake would be quicker than rendering live, or none fits the room.";
}
