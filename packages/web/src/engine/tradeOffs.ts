import { FULL_QUALITY, type RenderSettings } from "@kinetocache/core";
import { type LayerChoices, type PreviewSettings } from "./protocol/command";

/** What gives up quality for speed in the preview. */
const TRADE_OFFS = ["size", "effects", "motion blur", "solo", "layer effects"] as const;
export type TradeOff = (typeof TRADE_OFFS)[number];

/** The settings as they act: without what gives up quality while that is switched off. */
export function inForce(settings: PreviewSettings): PreviewSettings {
  if (!settings.tradeOffs) return { ...settings, fraction: 1, scrubFraction: 1, effects: "All", motionBlur: true };
  return settings.scrubFraction <= settings.fraction ? settings : { ...settings, scrubFraction: settings.fraction };
}

/** What decides the preview's pixels. */
export function previewQuality(
  settings: PreviewSettings,
  layers: LayerChoices,
  renderer: RenderSettings["renderer"],
): RenderSettings {
  if (!settings.tradeOffs) return { ...FULL_QUALITY, renderer };
  const { fraction, effects, motionBlur } = settings;
  const { solo, effectsOff } = layers;
  return { fraction, effects, motionBlur, solo, effectsOff, missing: [], renderer };
}

/** Which trade-offs change the picture with these settings. */
export function tradeOffsInForce(settings: PreviewSettings, layers: LayerChoices): TradeOff[] {
  if (!settings.tradeOffs) return [];
  const active: Readonly<Record<TradeOff, boolean>> = {
    size: settings.fraction < 1 || settings.scrubFraction < 1,
    effects: settings.effects !== "All",
    "motion blur": !settings.motionBlur,
    solo: layers.solo.length > 0,
    "layer effects": layers.effectsOff.length > 0,
  };
  return TRADE_OFFS.filter((one) => active[one]);
}

/** Whether frames made this way can be asked for again when the composition is opened the next time. */
export function isLasting({ solo, effectsOff, missing }: RenderSettings): boolean {
  return solo.length === 0 && effectsOff.length === 0 && missing.length === 0;
}

const sorted = (names: readonly string[]) => [...names].sort();

/** What decides how a take goes, beside the composition and what is held. */
export function takeTerms(settings: PreviewSettings, layers: Pick<LayerChoices, "solo" | "effectsOff">): object {
  const acting = inForce(settings);
  const { fraction, effects, motionBlur, memoryBudgetBytes, parallel, window, pacing, effectsOn, decodingOn } = acting;
  const { solo, effectsOff } = settings.tradeOffs ? layers : { solo: [], effectsOff: [] };
  return {
    ...{ fraction, effects, motionBlur, memoryBudgetBytes, parallel, window, pacing, effectsOn, decodingOn },
    solo: sorted(solo),
    effectsOff: sorted(effectsOff),
  };
}
