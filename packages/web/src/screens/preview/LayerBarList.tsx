import { useEffect, useMemo, useRef } from "react";
import { send, useEngine } from "../../data/engineStore";
import { useWorkspace } from "../../data/workspace";
import { useRows } from "../../parts/rows";
import { keyframeLines } from "./KeyframeLines";
import { LayerBarRow } from "./LayerBarRow";
import { NoLayers, useShownLayers, type LayerListProps } from "./layerList";
import { useTimelineScale } from "./timelineScale";
import { xOfFrame } from "./timelineView";

// Must match the heights of .bar-row and .key-line, at the usual size of text.
const ROW_PX = 29;
const LINE_PX = 20;

/** The layers as bars in the scale of the terrain, from the top of the stack. */
export function LayerBarList({ selected, also, onSelect }: LayerListProps) {
  const { composition, edit } = useWorkspace();
  const { view, width } = useTimelineScale();
  const rows = useMemo(() => [...composition.layers].reverse(), [composition.layers]);
  const isShown = useShownLayers();
  const scroller = useRef<HTMLDivElement>(null);
  const at = rows.findIndex(({ id }) => id === selected);
  const lines = rows[at] ? keyframeLines(rows[at]) : 0;
  const { rows: list } = useRows({
    count: rows.length,
    scroller,
    heightPx: ROW_PX,
    overscan: 6,
    taller: lines > 0 ? { index: at, byPx: lines * LINE_PX } : undefined,
  });
  const inView = list.getVirtualItems();
  const inList = inView.map(({ index }) => rows[index]!.id).join();
  const engine = useEngine((state) => state.engine);
  const bars = useEngine((state) => state.bars);
  const byLayer = useMemo(() => new Map(bars?.bars.map((bar) => [bar.layer, bar])), [bars]);
  const [from, to] = [Math.floor(view.start), Math.ceil(view.end)];
  useEffect(() => {
    const wished = inList === "" ? [] : inList.split(",");
    send({ kind: "bars", wish: { layers: wished, range: { in: from, out: to }, columns: Math.max(1, width) } });
  }, [inList, from, to, width, engine, composition.id]);
  useEffect(() => () => send({ kind: "bars", wish: { layers: [], range: { in: 0, out: 0 }, columns: 1 } }), []);
  return (
    <div className="layer-list is-timed" ref={scroller}>
      <NoLayers />
      <ul style={{ paddingTop: inView[0]?.start, paddingBottom: list.getTotalSize() - (inView.at(-1)?.end ?? 0) }}>
        {inView.map(({ index }) => {
          const layer = rows[index]!;
          return (
            <LayerBarRow
              key={layer.id}
              layer={layer}
              index={index}
              count={rows.length}
              shown={isShown(layer)}
              selected={layer.id === selected}
              also={also.includes(layer.id)}
              bar={byLayer.get(layer.id)}
              bars={bars}
              onSelect={onSelect}
              edit={edit}
            />
          );
        })}
      </ul>
      <PlayheadLine height={list.getTotalSize()} />
    </div>
  );
}

/** The playhead's line through the bars. */
function PlayheadLine({ height }: { readonly height: number }) {
  const { view, width } = useTimelineScale();
  const playhead = useEngine((state) => state.playhead);
  const x = Math.round(xOfFrame(playhead + 0.5, view, width));
  if (x < 0 || x > width) return null;
  return <span className="playhead-line" style={{ height, transform: `translateX(${x}px)` }} />;
}
