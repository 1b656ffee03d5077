import { BROWSER_LOCATION } from "@kinetocache/core";
import type { StoredTake } from "../../data/database";
import type { StoragePolicy } from "../../engine/protocol/command";
import { bytesText, deviceText, fractionText } from "../../parts/format";

export interface Difference {
  readonly label: string;
  readonly before: string;
  readonly after: string;
}

/** Everything that was in force during a take, in words. */
function circumstances(take: StoredTake): readonly (readonly [label: string, value: string])[] {
  const { settings, document, depth, range, heldAtStart, layers, machine } = take;
  const total = range.out - range.in;
  return [
    ["Composition", `${document.name}, ${document.width}×${document.height}`],
    ["Variant", document.variant ?? "not known"],
    ["Baked", take.baked ? layersText(take.baked.map((layer) => layer || "the whole")) : "not known"],
    ["Range", `${range.in} – ${range.out - 1}`],
    ["In memory at the start", `${heldAtStart.memory} of ${total} frames`],
    ["On disk at the start", `${heldAtStart.disk} of ${total} frames`],
    ["Memory budget", bytesText(settings.memoryBudgetBytes)],
    ["Preview size", fractionText(settings.fraction)],
    ["Effects", settings.effects],
    ["Motion blur", settings.motionBlur ? "on" : "off"],
    ["Solo", layersText(layers?.solo)],
    ["Effects off for", layersText(layers?.effectsOff)],
    ["Pinned", layersText(layers?.pinned)],
    ["Effects on", deviceText(settings.effectsOn)],
    ["Clips decoded by", settings.decodingOn === "processor" ? "the processor" : "a graphics device"],
    ["Depth of cached frames", depth],
    ["In parallel", String(settings.parallel)],
    ["Around the playhead", `${settings.window.before} behind, ${settings.window.after} ahead`],
    ["When a frame is not ready", settings.pacing === "keep time" ? "it is skipped" : "wait for it"],
    ["Background rendering", settings.background],
    ["Disk cache in", placeText(settings.diskCache.location)],
    ["Frames are written", storedText(settings.diskCache)],
    ["Machine", machine ? `${machine.processor}, ${machine.cores} cores` : "not known"],
    ["Memory available", machine ? gigabytesText(machine.availableBytes) : "not known"],
    ["Power", machine?.onBattery === undefined ? "not known" : machine.onBattery ? "battery" : "mains"],
    ["Clock", machine?.clockShare === undefined ? "not known" : tenthsText(machine.clockShare)],
  ];
}

function layersText(layers: readonly string[] | undefined): string {
  if (!layers) return "not known";
  return layers.length === 0 ? "none" : layers.join(", ");
}

/** What varies by less than this from one moment to the next is no difference. */
function gigabytesText(bytes: number): string {
  return `about ${Math.round(bytes / 2 ** 30)} GB`;
}

function tenthsText(share: number): string {
  return `about ${Math.round(share * 10) * 10} % of the highest`;
}

/** Folders may be gone since: what tells them apart is not their name of today. */
function placeText(location: string): string {
  if (location === BROWSER_LOCATION) return "the browser's own storage";
  return location === "main" ? "the main folder" : `another folder, ${location.slice(0, 8)}`;
}

function storedText({ store, storeSlow }: StoragePolicy): string {
  return storeSlow ? `${store}, slow ones too` : store;
}

/** What differed between two takes. */
export function differences(before: StoredTake, after: StoredTake): Difference[] {
  const then = new Map(circumstances(before));
  const changed = circumstances(after)
    .map(([label, value]) => ({ label, before: then.get(label)!, after: value }))
    .filter((difference) => difference.before !== difference.after);
  const isEdited = before.document.id === after.document.id && before.document.state !== after.document.state;
  return isEdited ? [{ label: "Layers and effects", before: "as they were", after: "edited" }, ...changed] : changed;
}
