import {
  BROWSER_LOCATION,
  KEPT_FREE,
  type Bytes,
  type FillSample,
  type LocationCondition,
  type LocationSettings,
} from "@kinetocache/core";
import { useEffect } from "react";
import type { BrowserDiskState } from "../engine/browserDisk/browserDisk";
import { send, useEngine } from "./engineStore";
import { capOfFolder, changeFolder, useFolders, type Consent, type FolderState, type OverCap } from "./server";
import { useWorkspace } from "./workspace";

/** A location as the screens show it: a folder that the server keeps, or the browser's own storage. */
export interface LocationView {
  readonly id: string;
  /** Short enough for a table. */
  readonly name: string;
  /** Of a folder. */
  readonly path?: string;
  readonly holds: "frames" | "media";
  readonly condition: LocationCondition;
  /** Of one that holds frames and can be used. */
  readonly contents?: LocationContents;
}

export interface LocationContents {
  readonly settings: LocationSettings;
  readonly frames: number;
  readonly bytes: Bytes;
  readonly holdingBytes: Bytes;
  /** What of that waits beyond the cap. */
  readonly beyondCapBytes: Bytes;
  /** Stored sequences: bakes, and pictures that were brought in. */
  readonly sequenceBytes: Bytes;
  /** Free bytes of the drive, or what the browser still gives. */
  readonly freeBytes: Bytes;
  /** Those of them that are left to the system. */
  readonly keptFree: Bytes;
  readonly growth: readonly FillSample[];
}

const POLL_MS = 2000;

function folderView({ id, folder, holds, condition, volume }: FolderState): LocationView {
  const base = { id, name: shortPath(folder), path: folder, holds, condition };
  if (!volume) return base;
  const {
    capBytes,
    rule,
    packing,
    deepest,
    clearOnClose,
    frames,
    bytes,
    holdingBytes,
    beyondCapBytes,
    sequenceBytes,
    freeBytes,
    growth,
  } = volume;
  const settings = { capBytes, rule, packing, deepest, clearOnClose };
  const held = { holdingBytes, beyondCapBytes };
  const full = { frames, bytes, ...held, sequenceBytes, freeBytes, keptFree: KEPT_FREE, growth };
  return { ...base, contents: { settings, ...full } };
}

/** The last two folders of a path tell most places apart. */
export function shortPath(folder: string): string {
  const parts = folder.split(/[\\/]/).filter(Boolean);
  return parts.length > 2 ? `…/${parts.slice(-2).join("/")}` : folder;
}

function browserView({ condition, ...contents }: BrowserDiskState): LocationView {
  const base = { id: BROWSER_LOCATION, name: "This browser", holds: "frames" as const, condition };
  return condition.kind === "open"
    ? { ...base, contents: { ...contents, holdingBytes: 0, beyondCapBytes: 0, sequenceBytes: 0, keptFree: 0 } }
    : base;
}

/** The browser's own storage, asked about every two seconds while a component that needs it is on show. */
function useBrowserDisk(needed: boolean): LocationView | undefined {
  const disk = useEngine((state) => state.browserDisk);
  useEffect(() => {
    if (!needed) return;
    const ask = () => send({ kind: "browserDisk", withItems: false });
    ask();
    const timer = setInterval(ask, POLL_MS);
    return () => clearInterval(timer);
  }, [needed]);
  return disk && browserView(disk);
}

/** All locations; without the server, the browser's alone. */
export function useLocations(): { readonly locations: readonly LocationView[]; readonly error: Error | undefined } {
  const folders = useFolders();
  const browser = useBrowserDisk(true);
  const locations = [...(folders.data ?? []).map(folderView), ...(browser ? [browser] : [])];
  return { locations, error: folders.error };
}

/** The location that is for the disk cache; undefined while it is not known. */
export function useDiskCache(): { readonly location: LocationView | undefined; readonly error: Error | undefined } {
  const { settings } = useWorkspace();
  const { location } = settings.diskCache;
  const folders = useFolders();
  const browser = useBrowserDisk(location === BROWSER_LOCATION);
  if (location === BROWSER_LOCATION) return { location: browser, error: undefined };
  const folder = folders.data?.find(({ id }) => id === location);
  return { location: folder && folderView(folder), error: folders.error };
}

/** What a cap would take. @throws RequestError */
export async function takenByCap(id: string, { bytes }: LocationContents, capBytes: number): Promise<OverCap> {
  if (id !== BROWSER_LOCATION) return capOfFolder(id, capBytes);
  return { bytes: Math.max(0, bytes - capBytes), isHeld: false };
}

/** Changes settings of a location. @param consent to what a lower cap takes @throws RequestError */
export async function changeLocation(
  id: string,
  settings: Partial<LocationSettings>,
  consent: Consent = {},
): Promise<void> {
  if (id === BROWSER_LOCATION) {
    send({ kind: "changeBrowserDisk", settings });
    return;
  }
  await changeFolder(id, { ...settings, ...consent });
  send({ kind: "diskChanged" });
}
