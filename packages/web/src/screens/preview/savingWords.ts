import { framesPerSecond, uncachedRate, type Bytes, type Rate } from "@kinetocache/core";
import type { TradeOff } from "../../engine/tradeOffs";
import type { PreviewSettings } from "../../engine/protocol/command";
import type { LayerKept } from "../../engine/layerLanes";
import { bytesText, fractionText, framesText, msText, percentText, rateText } from "../../parts/format";

/** Mean time of a frame, as short as it can be said; nothing while it is not known. */
export function meanText(ms: number | undefined): string | undefined {
  return ms === undefined || ms === 0 ? undefined : msText(ms);
}

/** What leaving something out gives, against how it is at present. */
export function savedText(presentMs: number | undefined, thenMs: number | undefined): string {
  if (presentMs === undefined || thenMs === undefined) return "not known yet";
  const saved = presentMs - thenMs;
  if (saved < 0.05) return "saves nothing here";
  return `saves ${msText(saved)} a frame, ${percentText(saved / presentMs)} (est.)`;
}

/** What pinning a layer does, and what that takes. @param frameBytes of one whole frame */
export function pinText(pinned: boolean, kept: LayerKept | undefined, frameBytes: Bytes): string {
  const does = "Its own pixels stay cached longest, so that edits to other layers do not render it again";
  // Of a long composition it is worked out bit by bit.
  if (!kept || kept.allBytes === 0) return `${does}.`;
  const { held, total, heldBytes, allBytes } = kept;
  const room = (bytes: Bytes) => `${bytesText(bytes)}, the room of ${framesText(Math.ceil(bytes / frameBytes))}`;
  return pinned
    ? `${does}: ${held} of ${framesText(total)} kept, ${room(heldBytes)}.`
    : `${does}. All ${framesText(total)} would take ${room(allBytes)}.`;
}

/** What happens to frames that are not held, under each pacing. */
export function pacingText(
  pacing: PreviewSettings["pacing"],
  how: { readonly meanMs: number; readonly parallel: number; readonly cores: number; readonly rate: Rate },
): string {
  if (how.meanMs === 0) return "not known yet";
  const reached = uncachedRate({ ...how, speed: 1 });
  const wanted = framesPerSecond(how.rate);
  if (reached >= wanted) return "keeps up (est.)";
  return pacing === "keep time"
    ? `skips ${percentText(1 - reached / wanted)} of what is not held (est.)`
    : `plays at ${rateText(reached)} fps where nothing is held (est.)`;
}

/** What is in force, for the control that switches all of it off. */
export function inForceText(
  inForce: readonly TradeOff[],
  settings: PreviewSettings,
  solo: number,
  off: number,
): string {
  if (!settings.tradeOffs) return "Full quality, as the output";
  if (inForce.length === 0) return "None in force: as the output";
  const words: Readonly<Record<TradeOff, string>> = {
    size: `${fractionText(settings.fraction)}, scrubbing ${fractionText(settings.scrubFraction)}`,
    effects: settings.effects === "None" ? "no effects" : "light effects",
    "motion blur": "no motion blur",
    solo: `${solo} solo`,
    "layer effects": `effects off for ${off}`,
  };
  return inForce.map((one) => words[one]).join(" · ");
}
