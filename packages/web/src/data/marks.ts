import { targetOfMark, type OwnerMark, type SweepItem, type SweepMark } from "@kinetocache/core";
import { useLiveQuery } from "dexie-react-hooks";
import { useMemo } from "react";
import { database } from "./database";
import { changeBeside } from "./documents";
import { changeSweepMark, useSweepMarks } from "./sweep";
import { useWorkspace } from "./workspace";

type Owned = Pick<SweepItem, "place" | "owner">;

/** Whether a place is a folder that the user registered, and not a location of the product's own. */
export function isRegistered(place: string): boolean {
  return place.startsWith("folder-");
}

interface Marks {
  readonly ofOwner: (owned: Owned) => OwnerMark | undefined;
  readonly isKept: (item: Pick<SweepItem, "place" | "id">) => boolean;
  readonly keptFolders: readonly { readonly place: string; readonly path: string }[];
  /** Marks all of an owner, or takes that mark away. */
  readonly toggleOwner: (owned: Owned, mark: OwnerMark) => void;
  readonly toggleItem: (item: Pick<SweepItem, "place" | "id">) => void;
  readonly toggleFolder: (place: string, path: string) => void;
}

/** What the user keeps and has delivered. Marks of compositions are kept with them, all others with the server. */
export function useMarks(): Marks {
  const { notify } = useWorkspace();
  const told = useSweepMarks().data;
  const compositions = useLiveQuery(
    async () => new Map((await database.documents.toArray()).map(({ id, mark }) => [id, mark])),
  );
  return useMemo(() => {
    const marks = told ?? [];
    const attempt = (work: Promise<unknown>) => {
      work.catch((error: unknown) => notify((error as Error).message));
    };
    const targets = new Map(marks.map((mark) => [targetOfMark(mark), mark.mark]));
    const toggle = (mark: SweepMark) =>
      attempt(changeSweepMark(marks, mark, targets.get(targetOfMark(mark)) !== mark.mark));
    return {
      ofOwner: ({ place, owner = "" }) =>
        isRegistered(place) ? targets.get(`project ${owner}`) : compositions?.get(owner),
      isKept: ({ place, id }) => targets.has(`item ${place}/${id}`),
      keptFolders: marks.flatMap((mark) => (mark.scope === "folder" ? [mark] : [])),
      toggleOwner: ({ place, owner = "" }, mark) => {
        if (isRegistered(place)) toggle({ scope: "project", owner, mark });
        else attempt(changeBeside(owner, (before) => ({ mark: before.mark === mark ? undefined : mark })));
      },
      toggleItem: ({ place, id }) => toggle({ scope: "item", place, path: id, mark: "kept" }),
      toggleFolder: (place, path) => toggle({ scope: "folder", place, path, mark: "kept" }),
    };
  }, [told, compositions, notify]);
}
