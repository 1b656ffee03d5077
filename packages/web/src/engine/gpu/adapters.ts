import { GRAPHICS_CHOICES, type GraphicsChoice } from "@kinetocache/core";

/** A graphics device that the browser hands out. */
export interface Adapter {
  /** What has to be asked for to get it; one device may answer to several. */
  readonly choices: readonly GraphicsChoice[];
  /** As the browser describes it. */
  readonly name: string;
  /** A program on the processor that only looks like a device. */
  readonly isSoftware: boolean;
  /** Whether it can tell how long each effect took. */
  readonly hasTimestamps: boolean;
  /** Largest picture in bytes that it takes, at 16 bytes a pixel. */
  readonly mostPictureBytes: number;
}

/** The adapter for a choice, or null where the browser has none. */
export async function requestAdapter(choice: GraphicsChoice): Promise<GPUAdapter | null> {
  // Browsers without WebGPU, and pages that are not secure, have no `gpu`.
  const gpu = (navigator as { gpu?: GPU }).gpu;
  if (!gpu) return null;
  return gpu.requestAdapter(choice === "software" ? { forceFallbackAdapter: true } : { powerPreference: choice });
}

function describe(choice: GraphicsChoice, { info, features, limits }: GPUAdapter): Adapter {
  const { vendor, architecture, device, description, isFallbackAdapter } = info;
  return {
    choices: [choice],
    name: description || [vendor, architecture, device].filter(Boolean).join(" ") || "a device without a name",
    isSoftware: isFallbackAdapter,
    hasTimestamps: features.has("timestamp-query"),
    mostPictureBytes: Math.min(limits.maxBufferSize, limits.maxStorageBufferBindingSize),
  };
}

/** Every device once, however it is asked for. */
export function mergeAdapters(found: readonly Adapter[]): Adapter[] {
  const merged = new Map<string, Adapter>();
  for (const adapter of found) {
    const key = `${adapter.name}|${adapter.isSoftware}|${adapter.mostPictureBytes}`;
    const known = merged.get(key);
    merged.set(key, known ? { ...known, choices: [...known.choices, ...adapter.choices] } : adapter);
  }
  return [...merged.values()];
}

export async function findAdapters(): Promise<Adapter[]> {
  const found: Adapter[] = [];
  for (const choice of GRAPHICS_CHOICES) {
    const adapter = await requestAdapter(choice);
    if (adapter) found.push(describe(choice, adapter));
  }
  return mergeAdapters(found);
}

/** What is asked for to get a device: its speed rather than its economy, where it has both. */
export function choiceFor({ choices, isSoftware }: Adapter): GraphicsChoice {
  if (isSoftware && choices.includes("software")) return "software";
  return choices.includes("high-performance") ? "high-performance" : choices[0]!;
}
