import type { OwnerMark, SweepItem, SweepMark } from "@kinetocache/core";
import { useLiveQuery } from "dexie-react-hooks";
import { useMemo } from "react";
import { database } from "./database";
import { changeBeside } from "./documents";
import { changeSweepMarks, useSweepMarks } from "./sweep";
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
    const toggle = (mark: SweepMark) => {
      const target = targetOf(mark);
      const before = marks.find((other) => targetOf(other) === target);
      const others = marks.filter((other) => other !== before);
      attempt(changeSweepMarks(before?.mark === mark.mark ? others : [...others, mark]));
    };
    const targets = new Map(marks.map((mark) => [targetOf(mark), mark.mark]));
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

function targetOf(mark: SweepMark): string {
  return mark.scope === "project" ? `project ${mark.owner}` : `${mark.scope} ${mark.place}/${mark.path}`;
}
