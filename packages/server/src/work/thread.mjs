// Entry of a thread that reads the sources as the process that started it does.
import { register } from "tsx/esm/api";

register();
export const { digestOf, exportedFrame, isPicture, pngToFrame } = await import("./thread.ts");
