import type { SweepPlan } from "@kinetocache/core";
import Button from "react-bootstrap/Button";
import type { LedgerPlace } from "../../data/ledger";
import { bytesText, durationText } from "../../parts/format";
import { SkippedList } from "./SkippedList";
import { countText } from "./sweepWords";

interface PlanPanelProps {
  readonly plan: Omit<SweepPlan, "items"> & { readonly items: number };
  readonly places: readonly LedgerPlace[];
  readonly busy: boolean;
  readonly onMove: () => void;
  readonly onLeave: () => void;
}

/** Exactly what would move, before it does. */
export function PlanPanel({ plan, places, busy, onMove, onLeave }: PlanPanelProps) {
  const { items, files, bytes, bytesByPlace, rebuildMs, isEstimate, lostBytes, skipped } = plan;
  const pathOf = (id: string) => places.find((place) => place.id === id)?.path ?? id;
  return (
    <section className="sheet plan" aria-label="Before anything moves">
      <div className="plan-head">
        <h2>
          {items === 0
            ? "Nothing of it can go"
            : `${countText(items, "item")}, ${countText(files, "file")}: ${bytesText(bytes)} come back`}
        </h2>
        <div className="plan-actions">
          <Button variant="outline-dark" onClick={onLeave}>
            Leave it
          </Button>
          <Button variant="dark" disabled={busy || items === 0} onClick={onMove}>
            Move {bytesText(bytes)} to holding
          </Button>
        </div>
      </div>
      <ul className="plan-words">
        {Object.entries(bytesByPlace).map(([place, one]) => (
          <li key={place}>
            <span className="mono">{bytesText(one)}</span> in {pathOf(place)}
          </li>
        ))}
        {rebuildMs > 0 ? (
          <li>
            Making it again would take about <span className="mono">{durationText(rebuildMs)}</span>
            {isEstimate ? <small className="is-estimate"> est.</small> : null}
          </li>
        ) : null}
        {lostBytes > 0 ? (
          <li>
            Of <span className="mono">{bytesText(lostBytes)}</span> nothing here can make it again
          </li>
        ) : null}
        <li>It is on the same drive until holding is emptied, and can be brought back until then</li>
      </ul>
      <SkippedList skipped={skipped} words="skipped" />
    </section>
  );
}
