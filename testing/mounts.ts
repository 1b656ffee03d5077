import { spawnSync } from "node:child_process";

/** Puts a small drive in memory on a folder. @returns whether that is allowed */
export function mountDrive(folder: string, size: string): boolean {
  return spawnSync("mount", ["-t", "tmpfs", "-o", `size=${size}`, "tmpfs", folder]).status === 0;
}

/** Mounts a folder once more, on another one of the same drive. @returns whether that is allowed */
export function bindFolder(folder: string, on: string): boolean {
  return spawnSync("mount", ["--bind", folder, on]).status === 0;
}

export function unmountDrive(folder: string): void {
  spawnSync("umount", ["-l", folder]);
}

/** @returns whether that is possible now */
export function remountDrive(folder: string, how: "ro" | "rw"): boolean {
  return spawnSync("mount", ["-o", `remount,${how}`, folder]).status === 0;
}

/** Takes a drive off one folder, and puts it on another. @returns whether that is allowed */
export function moveDrive(from: string, to: string): boolean {
  return spawnSync("mount", ["--move", from, to]).status === 0;
}
