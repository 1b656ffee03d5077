import { useEffect, useRef, useState } from "react";

interface DraftState<T> {
  /** As it is drawn. */
  readonly shown: T | undefined;
  /** As it is now, which may not be drawn yet: what is pressed next builds upon it. */
  readonly now: () => T | undefined;
  readonly set: (draft: T | undefined) => void;
  /**
   * Has it made an edit, once; it stays until what came of that is drawn.
   * @param make undefined where nothing changes; `isBehind` tells that edits before are not drawn yet, so that what is
   * drawn is not what would change
   */
  readonly apply: (make: (draft: T, isBehind: boolean) => Promise<void> | undefined) => void;
}

/** What is changed by hand before it is an edit, by a pointer that is held or keys that are. */
export function useDraft<T extends object>(): DraftState<T> {
  const latest = useRef<T>(undefined);
  const applied = useRef<T>(undefined);
  const drawn = useRef<T>(undefined);
  const [shown, setShown] = useState<T>();
  const [settled, setSettled] = useState<T>();
  const set = (draft: T | undefined) => {
    latest.current = draft;
    setShown(draft);
  };
  // Drawn with this is the composition after the edit.
  useEffect(() => {
    drawn.current = settled;
    if (settled === undefined || latest.current !== settled) return;
    latest.current = undefined;
    setShown(undefined);
  }, [settled]);
  const apply: DraftState<T>["apply"] = (make) => {
    const draft = latest.current;
    if (!draft || applied.current === draft) return;
    const made = make(draft, applied.current !== drawn.current);
    if (!made) {
      set(undefined);
      return;
    }
    applied.current = draft;
    void made.then(() => setSettled(draft));
  };
  return { shown, now: () => latest.current, set, apply };
}
