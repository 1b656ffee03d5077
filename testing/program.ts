import { spawn } from "node:child_process";
import { copyFileSync } from "node:fs";
import path from "node:path";
import { withFolder } from "./server";

// Seconds of a processor, so that one whose test was given up does not go on beside all others.
const MOST_WORK_S = 120;

/** Code that tells its process number, as `withProgram` needs it. */
export const TELL_PID = "process.stdout.write(String(process.pid));";

/**
 * Runs with a program of the test's own: a copy of Node.js under a path that nothing else runs by, which no
 * process of the test has started, so that it does not count as part of the application. Its name is of its own too.
 * @param code must tell its process number
 * @param same executable of another one, of which this is started too
 */
export async function withProgram(
  code: string,
  use: (executable: string) => Promise<void>,
  same?: string,
): Promise<void> {
  await withFolder(async (folder) => {
    const executable = same ?? path.join(folder, `program-${folder.slice(-6)}`);
    if (same === undefined) copyFileSync(process.execPath, executable);
    const child = spawn("setsid", ["--fork", "prlimit", `--cpu=${MOST_WORK_S}`, executable, "-e", code], {
      stdio: ["ignore", "pipe", "inherit"],
    });
    const pid = await new Promise<number>((resolve) =>
      child.stdout.once("data", (data: Buffer) => resolve(Number(String(data)))),
    );
    try {
      await use(executable);
    } finally {
      try {
        process.kill(pid, "SIGKILL");
      } catch (error) {
        // The test may have ended it.
        if ((error as NodeJS.ErrnoException).code !== "ESRCH") throw error;
      }
    }
  });
}
