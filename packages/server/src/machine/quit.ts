import { setTimeout as sleep } from "node:timers/promises";
import { Problem } from "../http/problem";
import { Processes, type RunningProcess } from "./processes";

export interface QuitOutcome {
  /** Whether all of it has ended within the time it was given. */
  readonly outcome: "closed" | "still running";
  readonly processes: number;
}

// Long enough for a program to ask its user whether to save.
const PATIENCE_MS = 5000;
const LOOK_EVERY_MS = 100;

/**
 * Asks a program to end, as its own menu would. It is never forced: one with unsaved work may stay.
 * @param members its processes as they were when the program was listed
 * @param patienceMs how long it is waited for
 * @throws Problem 409 when they are not those any more; nothing is done then
 */
export async function askToQuit(members: readonly RunningProcess[], patienceMs = PATIENCE_MS): Promise<QuitOutcome> {
  const processes = new Processes();
  const isSame = ({ pid, startedTicks, executable, uid }: RunningProcess) => {
    const now = processes.read(pid);
    return now?.startedTicks === startedTicks && now.executable === executable && now.uid === uid;
  };
  const there = members.filter(isSame);
  if (there.length === 0)
    throw new Problem(
      409,
      "gone",
      "The program had ended already, or its place was taken by another; nothing was done",
    );
  // The ones that started the others are asked; they see to their own.
  const pids = new Set(there.map(({ pid }) => pid));
  for (const { pid } of there.filter(({ parent }) => !pids.has(parent))) process.kill(pid, "SIGTERM");
  for (let waitedMs = 0; waitedMs < patienceMs && there.some(isSame); waitedMs += LOOK_EVERY_MS)
    await sleep(LOOK_EVERY_MS);
  const left = there.filter(isSame).length;
  return { outcome: left === 0 ? "closed" : "still running", processes: left };
}
