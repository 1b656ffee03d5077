import { readFileSync, realpathSync } from "node:fs";
import path from "node:path";
import type { Drive, DriveKind } from "@kinetocache/core";
import si from "systeminformation";
import { ifReadable } from "../machine/processes";

const NETWORK = /^(nfs|cifs|smb|9p|fuse\.sshfs|afpfs|webdav)/i;
const MEMORY = /^(tmpfs|ramfs)$/i;

type FileSystem = Pick<si.Systeminformation.FsSizeData, "fs" | "type" | "size" | "available" | "mount">;

// Drives that are made up by a host say nothing true of what is behind them.
const VIRTUAL = /^(vd|xvd|nbd|loop)/;

/** What a block device is, by what the kernel says of it and of the disk that it is a part of. */
function blockKind(device: string, root: string): DriveKind {
  if (VIRTUAL.test(path.basename(device))) return "unknown";
  const folder = ifReadable(() => realpathSync(`${root}/sys/class/block/${path.basename(device)}`));
  if (folder === undefined) return "unknown";
  const read = (file: string) =>
    [folder, path.dirname(folder)]
      .map((at) => ifReadable(() => readFileSync(path.join(at, file), "latin1").trim()))
      .find((value) => value !== undefined);
  if (read("removable") === "1") return "removable";
  const rotational = read("queue/rotational");
  return rotational === undefined ? "unknown" : rotational === "1" ? "spinning" : "solid state";
}

/** Drives from what is mounted: each device once, by its shortest path; what holds nothing is none. */
export function drivesOf(mounted: readonly FileSystem[], cacheFolder: string, root = ""): Drive[] {
  const holder = mounted
    .filter(({ mount }) => isInside(cacheFolder, mount))
    .sort((a, b) => b.mount.length - a.mount.length)[0];
  const byDevice = new Map<string, FileSystem>();
  for (const one of mounted.filter(({ size, type }) => size > 0 && !/^(squashfs|iso9660)$/.test(type))) {
    // Memory has no device of its own: every place is one by itself.
    const key = MEMORY.test(one.type) ? one.mount : one.fs;
    const known = byDevice.get(key);
    if (!known || one === holder || (known !== holder && one.mount.length < known.mount.length)) byDevice.set(key, one);
  }
  const system = mounted.find(({ mount }) => mount === "/" || /^c:\\?$/i.test(mount))?.fs;
  return [...byDevice.values()].map((one) => ({
    mount: one.mount,
    device: one.fs,
    kind: NETWORK.test(one.type) ? "network" : MEMORY.test(one.type) ? "memory" : blockKind(one.fs, root),
    totalBytes: one.size,
    freeBytes: one.available,
    isSystem: one.fs === system,
    holdsCache: one === holder,
  }));
}

/** Whether a path is a folder or lies inside it. */
export function isInside(inner: string, folder: string): boolean {
  const relative = path.relative(folder, inner);
  return relative === "" || (!relative.startsWith("..") && !path.isAbsolute(relative));
}

/** The drives of this machine. */
export async function listDrives(cacheFolder: string): Promise<Drive[]> {
  return drivesOf(await si.fsSize(), cacheFolder);
}
