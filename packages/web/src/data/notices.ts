import { useCallback, useRef, useState } from "react";

export interface Notice {
  readonly id: number;
  readonly text: string;
  /** What can be done about it. */
  readonly action?: { readonly label: string; readonly run: () => void };
}

// More at once would be read by nobody.
const MOST = 4;

/** With one more; what says the same as another takes its place, and the oldest goes where there are too many. */
export function withNotice(notices: readonly Notice[], notice: Notice): readonly Notice[] {
  return [...notices.filter(({ text }) => text !== notice.text).slice(1 - MOST), notice];
}

/** What an error says, as it is shown. */
export const textOf = (error: unknown): string => (error instanceof Error ? error.message : String(error));

export type Notify = (text: string, action?: Notice["action"]) => void;

export interface Notices {
  readonly notices: readonly Notice[];
  readonly notify: Notify;
  readonly dismiss: (id: number) => void;
}

/** Messages that are shown until they are read, or go by themselves. */
export function useNotices(): Notices {
  const [notices, setNotices] = useState<readonly Notice[]>([]);
  const nextId = useRef(1);
  const notify = useCallback((text: string, action?: Notice["action"]) => {
    const id = nextId.current++;
    setNotices((before) => withNotice(before, { id, text, ...(action ? { action } : {}) }));
  }, []);
  const dismiss = useCallback((id: number) => setNotices((before) => before.filter((notice) => notice.id !== id)), []);
  return { notices, notify, dismiss };
}
