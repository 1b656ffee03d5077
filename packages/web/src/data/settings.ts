import type { PreviewSettings } from "../engine/protocol/command";
import { database } from "./database";

const MIB = 2 ** 20;

/** Small on purpose: the user sees what more memory buys before it is taken from the machine. */
const defaultSettings = (): PreviewSettings => ({
  fraction: 0.5,
  scrubFraction: 0.25,
  effects: "All",
  motionBlur: true,
  tradeOffs: true,
  memoryBudgetBytes: 256 * MIB,
  parallel: Math.max(
    1,
    Math.min(8, navigator.hardwareConcurrency > 4 ? navigator.hardwareConcurrency - 1 : navigator.hardwareConcurrency),
  ),
  window: { before: 24, after: 96 },
  background: "Idle",
  pauseFillingWhilePlaying: true,
  idleDelayMs: 3000,
  pacing: "keep time",
  sharpenWhenParked: true,
  loop: true,
  effectsOn: "processor",
  decodingOn: "processor",
  diskCache: { location: "main", store: "Always", storeSlow: false },
});

export const SMALLEST_BUDGET = 16 * MIB;

/** The settings of last time; what an earlier release did not have is at its default. */
export async function loadSettings(): Promise<PreviewSettings> {
  const stored = (await database.settings.get("preview"))?.value as Partial<PreviewSettings> | undefined;
  return { ...defaultSettings(), ...stored };
}

export async function saveSettings(settings: PreviewSettings): Promise<void> {
  await database.settings.put({ key: "preview", value: settings });
}
