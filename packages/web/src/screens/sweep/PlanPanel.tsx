import type { SweepItem, SweepPlan } from "@kinetocache/core";
import { useMemo, useRef } from "react";
import Button from "react-bootstrap/Button";
import type { LedgerPlace } from "../../data/ledger";
import { bytesText, countText, durationText } from "../../parts/format";
import { LongText } from "../../parts/LongText";
import { useRows } from "../../parts/rows";
import { SkippedList } from "./SkippedList";
import { isRegistered } from "../../data/marks";
import { itemKey } from "./ledgerView";
import { itemText, rebuildText } from "./sweepWords";
import "./PlanPanel.css";

interface PlanPanelProps {
  /** With all that was chosen; what of it is skipped does not go. */
  readonly plan: Omit<SweepPlan, "items"> & { readonly items: number; readonly chosen: readonly SweepItem[] };
  readonly places: readonly LedgerPlace[];
  readonly busy: boolean;
  readonly onMove: () => void;
  readonly onLeave: () => void;
}

/** Exactly what would move, before it does. */
export function PlanPanel({ plan, places, busy, onMove, onLeave }: PlanPanelProps) {
  const { items, files, bytes, bytesByPlace, rebuildMs, isEstimate, lostBytes, skipped, chosen } = plan;
  const planned = useMemo(() => {
    const left = new Set(skipped.map(itemKey));
    return chosen.filter((item) => !left.has(itemKey(item))).sort((a, b) => b.bytes - a.bytes);
  }, [chosen, skipped]);
  const pathOf = (id: string) => places.find((place) => place.id === id)?.path ?? id;
  return (
    <section className="sheet plan" aria-label="Before the move">
      <div className="plan-head">
        <h2>
          {items === 0
            ? "None of it can be moved"
            : `${countText(items, "item")}, ${countText(files, "file")}: frees ${bytesText(bytes)}`}
        </h2>
        <div className="plan-actions">
          <Button variant="outline-dark" onClick={onLeave}>
            Cancel
          </Button>
          <Button variant="dark" disabled={busy || items === 0} onClick={onMove}>
            Move {bytesText(bytes)} to holding
          </Button>
        </div>
      </div>
      <ul className="plan-words">
        {Object.entries(bytesByPlace).map(([place, one]) => (
          <li key={place}>
            <span className="plan-place">
              <span className="mono">{bytesText(one)}</span> in <LongText text={pathOf(place)} />
            </span>
          </li>
        ))}
        {rebuildMs > 0 ? (
          <li>
            Rebuilding it would take about <span className="mono">{durationText(rebuildMs)}</span>
            {isEstimate ? <small className="is-estimate"> est.</small> : null}
          </li>
        ) : null}
        {lostBytes > 0 ? (
          <li>
            <span className="mono">{bytesText(lostBytes)}</span> cannot be rebuilt
          </li>
        ) : null}
        <li>It is on the same drive until holding is emptied, and can be brought back until then</li>
      </ul>
      <SkippedList skipped={skipped} words="skipped" />
      <PlannedItems items={planned} pathOf={pathOf} />
    </section>
  );
}

const LINE_PX = 24;

/** Every item that would move: a list of which only what is in view is made. */
function PlannedItems({ items, pathOf }: { readonly items: readonly SweepItem[]; pathOf: (place: string) => string }) {
  const scroller = useRef<HTMLDivElement>(null);
  const { rows: lines } = useRows({ count: items.length, scroller, heightPx: LINE_PX, overscan: 8 });
  if (items.length === 0) return null;
  return (
    <div className="planned" role="table" aria-label="What would move" aria-rowcount={items.length}>
      <div className="planned-scroller" ref={scroller} tabIndex={0} role="rowgroup">
        <div className="planned-lines" style={{ height: lines.getTotalSize() }}>
          {lines.getVirtualItems().map(({ index, start }) => {
            const item = items[index]!;
            const { place, id, project, reason, bytes } = item;
            return (
              <div
                key={itemKey(item)}
                className="planned-line"
                role="row"
                aria-rowindex={index + 1}
                style={{ transform: `translateY(${start}px)` }}
              >
                <span role="cell" title={`${pathOf(place)}/${id}`}>
                  {isRegistered(place) ? id : item.shows ? `${project}, ${itemText(item)}` : project}
                </span>
                <span role="cell" title={reason}>
                  {reason}
                </span>
                <span role="cell" className="mono">
                  {bytesText(bytes)}
                </span>
                <span role="cell" className="mono">
                  {rebuildText(item)}
                </span>
              </div>
            );
          })}
        </div>
      </div>
    </div>
  );
}
