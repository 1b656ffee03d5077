import type { Depth } from "../composition";

export const BYTES_A_PIXEL: Readonly<Record<Depth, number>> = { "8-bit": 4, half: 8, float: 16 };
