import { createContext, use, useEffect, useMemo, useRef, useState, type ReactNode, type RefObject } from "react";
import { useWorkspace } from "../../data/workspace";
import { wholeView, type TimelineView } from "./timelineView";

/** Which frames are in view, and how wide they are: the terrain and the layers below it go by the same. */
export interface TimelineScale {
  readonly view: TimelineView;
  /** In pixels. */
  readonly width: number;
  readonly setView: (change: (before: TimelineView) => TimelineView) => void;
  /** What is as wide as the timeline. */
  readonly root: RefObject<HTMLDivElement | null>;
}

const Context = createContext<TimelineScale | undefined>(undefined);

/** Keeps the scale of the open composition, which is all of it at first. */
export function TimelineScaleProvider({ children }: { readonly children: ReactNode }) {
  const { composition, stored } = useWorkspace();
  const { duration, id } = composition;
  const [view, setView] = useState<TimelineView>(() => wholeView(duration));
  const [width, setWidth] = useState(0);
  const root = useRef<HTMLDivElement>(null);
  useEffect(() => setView(wholeView(duration)), [duration, id, stored.id]);
  useEffect(() => {
    const observer = new ResizeObserver(([entry]) => setWidth(Math.floor(entry!.contentRect.width)));
    observer.observe(root.current!);
    return () => observer.disconnect();
  }, []);
  const scale = useMemo(() => ({ view, width, setView, root }), [view, width]);
  return <Context value={scale}>{children}</Context>;
}

export function useTimelineScale(): TimelineScale {
  return use(Context)!;
}
