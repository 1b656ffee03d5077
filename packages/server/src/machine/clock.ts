import { realpathSync } from "node:fs";
import { homedir, uptime } from "node:os";
import type { Milliseconds } from "@kinetocache/core";
import { Folder } from "../files/folder";
import { bootId } from "./identity";

export interface Clock {
  /** Milliseconds since the epoch; may jump. */
  readonly now: () => number;
  /** Only ever goes on, from the machine's start. */
  readonly uptime: () => Milliseconds;
  /** Another one after each start of the machine; where the system does not tell, of the server. */
  readonly boot: string;
  /** When the newest of the user's files was written; no file is newer than now. */
  readonly newestFileMs: () => number;
}

/** The clock of this machine. */
export function realClock(): Clock {
  const newestFileMs = () => {
    const home = Folder.open(realpathSync(homedir()));
    try {
      const written = home.names().map((name) => home.stat(name)?.mtimeMs ?? 0);
      return Math.max(0, ...written.filter((ms) => ms <= Date.now()));
    } finally {
      home.close();
    }
  };
  return { now: () => Date.now(), uptime: () => uptime() * 1000, boot: bootId(), newestFileMs };
}
