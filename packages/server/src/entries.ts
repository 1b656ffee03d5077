import { fileURLToPath } from "node:url";

// Other processes and threads of the server start from these files: built ones beside this one, or among the sources.
const isBuilt = !import.meta.url.endsWith(".ts");
const entry = (built: string, source: string) => fileURLToPath(new URL(isBuilt ? built : source, import.meta.url));

export const DESK_ENTRY = entry("./desk.js", "./sweep/deskProcess.ts");
/** What Node needs to start a process from it. */
export const PROCESS_OPTIONS: readonly string[] = isBuilt ? [] : ["--import", "tsx"];
export const THREAD_ENTRY = entry("./thread.js", "./work/thread.mjs");
