import { useLiveQuery } from "dexie-react-hooks";
import { useEffect } from "react";
import { database, type StoredDocument } from "./database";
import { tellCompositions } from "./sweep";
import { useWorkspace } from "./workspace";

const AGAIN_MS = 5000;

/** Ids of the stored sequences that a composition plays, in any of its states, or has as bakes. */
export function sequencesOf({ history, bakes }: StoredDocument): string[] {
  const brought = history.states.flatMap(({ assets }) =>
    Object.values(assets).flatMap((asset) => (asset.kind === "sequence" ? [asset.sequence] : [])),
  );
  return [...new Set([...brought, ...bakes.map(({ sequence }) => sequence)])];
}

/** Keeps the server told of what only this page knows, for rules that run by themselves. */
export function useTold(): void {
  const { document } = useWorkspace();
  const documents = useLiveQuery(() => database.documents.toArray());
  const told = documents && {
    compositions: documents.map(({ id, name, mark }) => ({ id, name, mark })),
    open: document.id,
    sequences: [...new Set(documents.flatMap(sequencesOf))],
  };
  const text = told && JSON.stringify(told);
  useEffect(() => {
    if (text === undefined) return;
    let timer: ReturnType<typeof setTimeout> | undefined;
    let active = true;
    const tell = () =>
      tellCompositions(JSON.parse(text) as Parameters<typeof tellCompositions>[0]).catch(() => {
        // Without the server nothing is swept either; it is told when it is back.
        if (active) timer = setTimeout(() => void tell(), AGAIN_MS);
      });
    void tell();
    return () => {
      active = false;
      clearTimeout(timer);
    };
  }, [text]);
}
