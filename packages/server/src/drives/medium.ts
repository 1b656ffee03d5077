import { statfs } from "node:fs/promises";
import type { Bytes } from "@kinetocache/core";

/** What the files of a folder lie on, as far as room and pace go. */
export interface Medium {
  freeBytes(folder: string): Promise<Bytes>;
  totalBytes(folder: string): Promise<Bytes>;
  /** Carries out a transfer, no faster than the medium allows. */
  transfer<T>(kind: "read" | "write", bytes: Bytes, work: () => Promise<T>): Promise<T>;
  /** Tells the medium of something that takes room on it. @returns a function that takes it off again */
  occupy(bytes: () => Bytes): () => void;
}

/** The drives of this machine: they set their own pace. */
export const REAL_MEDIUM: Medium = {
  async freeBytes(folder) {
    const { bavail, bsize } = await statfs(folder);
    return bavail * bsize;
  },
  async totalBytes(folder) {
    const { blocks, bsize } = await statfs(folder);
    return blocks * bsize;
  },
  transfer: (_kind, _bytes, work) => work(),
  occupy: () => () => undefined,
};
