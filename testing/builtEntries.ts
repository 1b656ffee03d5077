import path from "node:path";

// Tests take the sources of the server, and start its processes and threads as they are built: in much less time.
const built = path.resolve("packages/server/dist");

export const DESK_ENTRY = path.join(built, "desk.js");
export const PROCESS_OPTIONS: readonly string[] = [];
export const THREAD_ENTRY = path.join(built, "thread.js");
