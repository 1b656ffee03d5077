export const BLEND_MODES = ["normal", "add", "multiply", "screen", "overlay", "darken", "lighten"] as const;
export type BlendMode = (typeof BLEND_MODES)[number];
