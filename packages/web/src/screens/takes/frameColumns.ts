import { isOnTime, type FrameNumber, type Milliseconds, type TakeFrame } from "@kinetocache/core";

/** Some frames of a take that are next to each other, as one column: what was worst of them shows. */
export interface FrameColumn {
  readonly first: FrameNumber;
  readonly last: FrameNumber;
  readonly state: "on time" | "late" | "skipped";
  /** How long after it was due the latest of them was shown. */
  readonly latenessMs: Milliseconds;
  readonly late: number;
  readonly skipped: number;
}

// More are finer than what can be told apart.
const MOST_COLUMNS = 480;

/** A take in columns, in the order of its frames. */
export function frameColumns(frames: readonly TakeFrame[], budgetMs: Milliseconds): FrameColumn[] {
  const ordered = [...frames].sort((a, b) => a.frame - b.frame);
  const each = Math.max(1, Math.ceil(ordered.length / MOST_COLUMNS));
  const columns: FrameColumn[] = [];
  for (let at = 0; at < ordered.length; at += each) {
    const own = ordered.slice(at, at + each);
    const skipped = own.filter(({ shownMs }) => shownMs === undefined).length;
    const late = own.filter((frame) => frame.shownMs !== undefined && !isOnTime(frame, budgetMs)).length;
    columns.push({
      first: own[0]!.frame,
      last: own.at(-1)!.frame,
      state: skipped > 0 ? "skipped" : late > 0 ? "late" : "on time",
      latenessMs: Math.max(0, ...own.map(({ shownMs, dueMs }) => (shownMs ?? dueMs) - dueMs)),
      late,
      skipped,
    });
  }
  return columns;
}
