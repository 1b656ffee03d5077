import { useVirtualizer, type Virtualizer } from "@tanstack/react-virtual";
import { useEffect, type RefObject } from "react";
import { useTextScale } from "./textScale";

interface Rows {
  readonly count: number;
  readonly scroller: RefObject<HTMLElement | null>;
  /** Height of each as the style sheet has it, at the usual size of text. */
  readonly heightPx: number;
  /** Rows that are made beyond those in view. */
  readonly overscan: number;
  /** One that is taller than the others, as it is opened. */
  readonly taller?: { readonly index: number; readonly byPx: number } | undefined;
  /** Whether a line as high as a row stays on top of them. */
  readonly hasHead?: boolean;
}

/** Rows of one height of which only those in view are made; they grow with the reader's text. */
export function useRows({ count, scroller, heightPx, overscan, taller, hasHead = false }: Rows): {
  readonly rows: Virtualizer<HTMLElement, Element>;
  readonly rowHeight: number;
} {
  const textScale = useTextScale();
  const rowHeight = heightPx * textScale;
  const [tall, byPx] = [taller?.index, (taller?.byPx ?? 0) * textScale];
  const head = hasHead ? rowHeight : 0;
  const rows = useVirtualizer<HTMLElement, Element>({
    count,
    getScrollElement: () => scroller.current,
    estimateSize: (index) => (index === tall ? rowHeight + byPx : rowHeight),
    overscan,
    paddingStart: head,
    scrollPaddingStart: head,
  });
  useEffect(() => rows.measure(), [rows, rowHeight, tall, byPx]);
  return { rows, rowHeight };
}
