/** Which effects the preview runs. */
export const EFFECT_MODES = ["All", "Light only", "None"] as const;
export type EffectMode = (typeof EFFECT_MODES)[number];

/** Renderers whose pixels differ slightly have different names, and so different keys. */
export const RENDERER_CLASSES = ["cpu-1", "gpu-1"] as const;
export type RendererClass = (typeof RENDERER_CLASSES)[number];

/** What decides the pixels of a frame beside the document and its bakes. */
export interface RenderSettings {
  /** Edge length of the preview against the composition: 1, 1/2, 1/3 or 1/4. */
  readonly fraction: number;
  readonly effects: EffectMode;
  readonly motionBlur: boolean;
  /** Layers of the main composition that are shown alone; all of them when empty. */
  readonly solo: readonly string[];
  /** Layers of the main composition whose effects are left out. */
  readonly effectsOff: readonly string[];
  /** Fingerprints of files that cannot be read: clips of them show nothing. */
  readonly missing: readonly string[];
  readonly renderer: RendererClass;
}

/** Full quality, as every output uses. */
export const FULL_QUALITY: RenderSettings = {
  fraction: 1,
  effects: "All",
  motionBlur: true,
  solo: [],
  effectsOff: [],
  missing: [],
  renderer: "cpu-1",
};
