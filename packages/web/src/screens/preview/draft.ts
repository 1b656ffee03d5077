import { useRef, useState } from "react";

interface DraftState<T> {
  /** As it is drawn. */
  readonly shown: T | undefined;
  /** As it is now, which may not be drawn yet: what is pressed next builds upon it. */
  readonly now: () => T | undefined;
  readonly set: (draft: T | undefined) => void;
  /** Has it made an edit, if there is one; the composition is drawn with that at once. */
  readonly apply: (make: (draft: T) => void) => void;
}

/** What is changed by hand before it is an edit, by a pointer that is held or keys that are. */
export function useDraft<T extends object>(): DraftState<T> {
  const latest = useRef<T>(undefined);
  const [shown, setShown] = useState<T>();
  const set = (draft: T | undefined) => {
    latest.current = draft;
    setShown(draft);
  };
  const apply = (make: (draft: T) => void) => {
    const draft = latest.current;
    if (!draft) return;
    set(undefined);
    make(draft);
  };
  return { shown, now: () => latest.current, set, apply };
}
