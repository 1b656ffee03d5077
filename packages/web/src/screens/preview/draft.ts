import { useEffect, useRef, useState } from "react";

interface DraftState<T> {
  /** As it is drawn. */
  readonly shown: T | undefined;
  /** As it is now, which may not be drawn yet: what is pressed next builds upon it. */
  readonly now: () => T | undefined;
  readonly set: (draft: T | undefined) => void;
  /** Has it made an edit, once; it stays until what came of that is drawn. @param make undefined where nothing changes */
  readonly apply: (make: (draft: T) => Promise<void> | undefined) => void;
}

/** What is changed by hand before it is an edit, by a pointer that is held or keys that are. */
export function useDraft<T extends object>(): DraftState<T> {
  const latest = useRef<T>(undefined);
  const applied = useRef<T>(undefined);
  const [shown, setShown] = useState<T>();
  const [settled, setSettled] = useState<T>();
  const set = (draft: T | undefined) => {
    latest.current = draft;
    setShown(draft);
  };
  // Drawn with this is the composition after the edit.
  useEffect(() => {
    if (settled === undefined || latest.current !== settled) return;
    latest.current = undefined;
    setShown(undefined);
  }, [settled]);
  const apply = (make: (draft: T) => Promise<void> | undefined) => {
    const draft = latest.current;
    if (!draft || applied.current === draft) return;
    applied.current = draft;
    const made = make(draft);
    if (made) void made.then(() => setSettled(draft));
    else set(undefined);
  };
  return { shown, now: () => latest.current, set, apply };
}
