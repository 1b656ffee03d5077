import { readFileSync, realpathSync } from "node:fs";
import path from "node:path";
import type { Drive, DriveKind } from "@kinetocache/core";
import si from "systeminformation";
import { ifReadable } from "../machine/processes";

const NETWORK = /^(nfs|cifs|smb|9p|fuse\.sshfs|afpfs|webdav)/i;
const MEMORY = /^(tmpfs|ramfs)$/i;

type FileSystem = Pick<si.Systeminformation.FsSizeData, "fs" | "type" | "size" | "used" | "available" | "mount">;

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

/** A folder that matters, by the id of its location. */
export interface Placed {
  readonly id: string;
  readonly folder: string;
}

/**
 * Drives from what is mounted: each device once, by the path that leads to a location, or else the shortest; what
 * holds nothing is none.
 */
export function drivesOf(mounted: readonly FileSystem[], locations: readonly Placed[], root = ""): Drive[] {
  const longestFirst = [...mounted].sort((a, b) => b.mount.length - a.mount.length);
  const holders = new Map(
    locations.map(({ id, folder }) => [id, longestFirst.find(({ mount }) => isInside(folder, mount))]),
  );
  const isHolder = (one: FileSystem) => [...holders.values()].includes(one);
  const byDevice = new Map<string, FileSystem>();
  for (const one of mounted.filter(({ size, type }) => size > 0 && !/^(squashfs|iso9660)$/.test(type))) {
    // Memory has no device of its own: every place is one by itself.
    const key = MEMORY.test(one.type) ? one.mount : one.fs;
    const known = byDevice.get(key);
    const isBetter =
      known && (isHolder(one) ? !isHolder(known) : !isHolder(known) && one.mount.length < known.mount.length);
    if (!known || isBetter) byDevice.set(key, one);
  }
  const system = mounted.find(({ mount }) => mount === "/" || /^c:\\?$/i.test(mount))?.fs;
  return [...byDevice.values()].map((one) => ({
    mount: one.mount,
    device: one.fs,
    kind: NETWORK.test(one.type) ? "network" : MEMORY.test(one.type) ? "memory" : blockKind(one.fs, root),
    totalBytes: one.size,
    freeBytes: one.available,
    usedBytes: one.used,
    isSystem: one.fs === system,
    simulated: false,
    locations: [...holders].flatMap(([id, holder]) =>
      holder?.fs === one.fs && (!MEMORY.test(one.type) || holder === one) ? [id] : [],
    ),
  }));
}

/** Whether a path is a folder or lies inside it. */
export function isInside(inner: string, folder: string): boolean {
  const relative = path.relative(folder, inner);
  return relative === "" || (relative.split(path.sep)[0] !== ".." && !path.isAbsolute(relative));
}

/** The drives of this machine. */
export async function listDrives(locations: readonly Placed[]): Promise<Drive[]> {
  return drivesOf(await si.fsSize(), locations);
}
