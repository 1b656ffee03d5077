import {
  BROWSER_LOCATION,
  sequenceItems,
  unpackItems,
  type Drive,
  type FolderReport,
  type PackedItems,
  type SweepItem,
} from "@kinetocache/core";
import { dequal } from "dequal";
import { useLiveQuery } from "dexie-react-hooks";
import { useEffect, useMemo, useState } from "react";
import { database } from "./database";
import { useLocations, type LocationView } from "./locations";
import { useFrameItems } from "./reach";
import { linesOf, useDrives, useSequences } from "./server";
import { readFolderItems, useElsewhere, useFrames, useSweepFolders } from "./sweep";
import { useProfile, sequencesOf } from "./compositionReport";
import { useWorkspace } from "./workspace";

/** A location or a registered folder, as the ledger speaks of it. */
export interface LedgerPlace {
  readonly id: string;
  readonly path: string;
  /** Folder where its drive is mounted; undefined where that is not known. */
  readonly drive?: string;
  readonly holdingBytes: number;
  /** Of a location of the product's own. */
  readonly capBytes?: number;
}

export interface Ledger {
  readonly items: readonly SweepItem[];
  readonly places: readonly LedgerPlace[];
  /** Registered folders whose items are still being read. */
  readonly reading: number;
  /** Whether which cached frames can still be shown is being worked out: they are listed once it is known. */
  readonly isMarking: boolean;
}

interface Listed {
  readonly version: number;
  readonly items: readonly SweepItem[];
}

async function listOf(id: string): Promise<SweepItem[]> {
  const items: SweepItem[] = [];
  for await (const line of linesOf(await readFolderItems(id)))
    for (const item of unpackItems(JSON.parse(line) as PackedItems)) items.push(item);
  return items;
}

const AGAIN_MS = 2000;

// They outlive the screen: it is opened again with what was read before.
const listed = new Map<string, Listed>();

/** Items of registered folders, read again when there are others. */
function useFoundItems(folders: readonly FolderReport[] | undefined): {
  readonly items: readonly SweepItem[];
  readonly reading: number;
} {
  // Goes up whenever a list was read, or could not be.
  const [attempts, setAttempts] = useState(0);
  const wanted = folders?.map(({ id, version, fault }) => `${id} ${version} ${fault ?? ""}`).join();
  useEffect(() => {
    let active = true;
    for (const { id, version, fault } of folders ?? []) {
      if (listed.get(id)?.version === version || fault !== undefined) continue;
      listOf(id).then(
        (items) => {
          listed.set(id, { version, items });
          if (active) setAttempts((count) => count + 1);
        },
        // The server is away, or the folder is: it is asked for again.
        () => setTimeout(() => active && setAttempts((count) => count + 1), AGAIN_MS),
      );
    }
    return () => {
      active = false;
    };
    // The folders are told of anew every two seconds; what matters of them is in this.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [wanted, attempts]);
  const known = (folders ?? []).map(({ id }) => listed.get(id));
  const versions = known.map((one) => one?.version).join();
  return useMemo(
    () => ({
      items: known.flatMap((one) => one?.items ?? []),
      reading: (folders ?? []).filter(({ id, version, items }) => items > 0 && listed.get(id)?.version !== version)
        .length,
    }),
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [wanted, versions],
  );
}

/** Baked sequences, with whether a composition plays them. */
function useBakedItems(): readonly SweepItem[] | undefined {
  const sequences = useSequences().data;
  const own = useLiveQuery(async () => (await database.documents.toArray()).flatMap(sequencesOf));
  const elsewhere = useElsewhere(useProfile()).data;
  const played = useMemo(() => own && elsewhere && new Set([...own, ...elsewhere.sequences]), [own, elsewhere]);
  return useMemo(
    () =>
      sequences &&
      played &&
      sequenceItems(
        sequences.filter(({ kind }) => kind === "bake"),
        played,
      ),
    [sequences, played],
  );
}

/** Everything that could be swept, of the product's own and of registered folders; undefined until it is known. */
export function useLedger(): { readonly ledger: Ledger | undefined; readonly error: Error | undefined } {
  const { document } = useWorkspace();
  const { locations, error } = useLocations();
  const drives = useDrives().data?.drives;
  const folders = useSweepFolders();
  const frames = useFrameItems(useFrames().data, document.id);
  const baked = useBakedItems();
  const found = useFoundItems(folders.data);
  const items = useMemo(() => {
    const others = baked && [...baked, ...found.items];
    // With many superseded frames it takes a while: what else there is need not wait for that.
    if (!others || (!frames && others.length === 0)) return undefined;
    return frames ? [...frames, ...others] : others;
  }, [frames, baked, found.items]);
  const places = usePlaces(locations, drives, folders.data);
  const { reading } = found;
  const isMarking = frames === undefined;
  const ledger = useMemo(
    () => items && places && { items, places, reading, isMarking },
    [items, places, reading, isMarking],
  );
  return ledger ? { ledger, error: undefined } : { ledger: undefined, error: error ?? folders.error };
}

/** Told anew every two seconds, but others only when something of them changed: all that is listed follows from them. */
function usePlaces(
  locations: readonly LocationView[],
  drives: readonly Drive[] | undefined,
  folders: readonly FolderReport[] | undefined,
): readonly LedgerPlace[] | undefined {
  const places = folders && [
    // The browser's own storage has no holding; it is cleared in Storage.
    ...locations.flatMap(({ id, path = id, contents }): LedgerPlace[] => {
      if (contents === undefined || id === BROWSER_LOCATION) return [];
      const drive = drives?.find((one) => one.locations.includes(id))?.mount;
      return [{ id, path, drive, holdingBytes: contents.holdingBytes, capBytes: contents.settings.capBytes }];
    }),
    ...folders.map(({ id, folder, drive, holdingBytes }): LedgerPlace => ({ id, path: folder, drive, holdingBytes })),
  ];
  const [kept, setKept] = useState(places);
  const isSame = dequal(kept, places);
  if (!isSame) setKept(places);
  return isSame ? kept : places;
}
