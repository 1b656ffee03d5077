// Entry of a thread: it reads the sources as the process that started it does.
import { register } from "tsx/esm/api";

register();
export const { exportedFrame, isPicture, pngToFrame } = await import("./tasks.ts");
