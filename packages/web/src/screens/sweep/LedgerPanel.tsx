import {
  groupItems,
  ITEM_KINDS,
  ITEM_STATES,
  ledgerJson,
  ledgerTable,
  type HeldReport,
  type ItemGroup,
  type ItemKind,
  type SweepItem,
  type SweepPlan,
} from "@kinetocache/core";
import { useCallback, useDeferredValue, useMemo, useState } from "react";
import Button from "react-bootstrap/Button";
import Form from "react-bootstrap/Form";
import ToggleButton from "react-bootstrap/ToggleButton";
import ToggleButtonGroup from "react-bootstrap/ToggleButtonGroup";
import { Link } from "react-router";
import { csvText } from "../../data/csv";
import { useLedger, type Ledger } from "../../data/ledger";
import { useMarks } from "../../data/marks";
import { useDrives } from "../../data/server";
import { holdSelection, planSelection, restoreBatch } from "../../data/sweep";
import { download } from "../../parts/download";
import { bytesText, countText, durationText, groupedText } from "../../parts/format";
import { Waiting } from "../../parts/Waiting";
import { useAttempt } from "./attempt";
import { DriveBars } from "./DriveBars";
import { LedgerMap } from "./LedgerMap";
import { LedgerTable } from "./LedgerTable";
import {
  driveParts,
  EVERYTHING,
  filterItems,
  groupedRows,
  isSelectable,
  isUnowned,
  itemKey,
  plainRows,
  selectedShare,
  selectionOf,
  staleKeys,
  withItems,
  type LedgerFilter,
  type Share,
  type Sort,
} from "./ledgerView";
import { PlanPanel } from "./PlanPanel";
import { SkippedList } from "./SkippedList";
import { kindText, projectText } from "./sweepWords";

/** What was looked at, and what it was asked for. */
type Plan = Omit<SweepPlan, "items"> & { readonly items: number; readonly chosen: readonly SweepItem[] };

const AGES = [1, 7, 15, 30, 90, 365];
const SIZES = [1, 10, 100, 1024];
const MIB = 2 ** 20;

// No drive, project or number is called that.
const NONE = "—";

interface FilterSelectProps {
  readonly label: string;
  /** What it says while it leaves nothing out. */
  readonly none: string;
  readonly value: string | undefined;
  readonly options: readonly (readonly [value: string, label: string])[];
  readonly onChange: (value: string | undefined) => void;
}

function FilterSelect({ label, none, value, options, onChange }: FilterSelectProps) {
  return (
    <Form.Select
      size="sm"
      aria-label={label}
      value={value ?? NONE}
      onChange={(event) => onChange(event.target.value === NONE ? undefined : event.target.value)}
    >
      <option value={NONE}>{none}</option>
      {options.map(([key, text]) => (
        <option key={key} value={key}>
          {text}
        </option>
      ))}
    </Form.Select>
  );
}

interface FilterBarProps {
  readonly ledger: Ledger;
  readonly filter: LedgerFilter;
  readonly onFilter: (filter: LedgerFilter) => void;
  readonly drives: readonly { readonly mount: string; readonly name: string }[];
}

function FilterBar({ ledger, filter, onFilter, drives }: FilterBarProps) {
  const change = (part: Partial<LedgerFilter>) => onFilter({ ...filter, ...part });
  const projects = useMemo(
    () => [...new Set(ledger.items.map(({ project }) => project))].sort((a, b) => a.localeCompare(b)),
    [ledger.items],
  );
  return (
    <div className="ledger-filter">
      <ToggleButtonGroup
        type="radio"
        name="kind"
        className="chips"
        aria-label="Kind"
        value={filter.kind ?? "all"}
        onChange={(kind: ItemKind | "all") => change({ kind: kind === "all" ? undefined : kind })}
      >
        {(["all", ...ITEM_KINDS] as const).map((kind) => (
          <ToggleButton key={kind} id={`kind-${kind}`} value={kind} variant="outline-dark" size="sm">
            {kind === "all" ? "All kinds" : kindText(kind)}
          </ToggleButton>
        ))}
      </ToggleButtonGroup>
      <Form.Control
        size="sm"
        type="search"
        aria-label="Search"
        placeholder="Search project or path"
        value={filter.search}
        onChange={(event) => change({ search: event.target.value })}
      />
      <FilterSelect
        label="State"
        none="any state"
        value={filter.state}
        options={(["stale", ...ITEM_STATES] as const).map((state) => [state, state])}
        onChange={(state) => change({ state: state as LedgerFilter["state"] })}
      />
      <FilterSelect
        label="Project"
        none="any project"
        value={filter.project}
        options={projects.map((project) => [project, projectText(project)])}
        onChange={(project) => change({ project })}
      />
      <FilterSelect
        label="Drive"
        none="any drive"
        value={filter.drive}
        options={drives.map(({ mount, name }) => [mount, name])}
        onChange={(drive) => change({ drive })}
      />
      <FilterSelect
        label="Age"
        none="any age"
        value={filter.olderThanDays?.toString()}
        options={AGES.map((days) => [String(days), `older than ${countText(days, "day")}`])}
        onChange={(days) => change({ olderThanDays: days === undefined ? undefined : Number(days) })}
      />
      <FilterSelect
        label="Size"
        none="any size"
        value={filter.largerThan?.toString()}
        options={SIZES.map((size) => [String(size * MIB), `over ${bytesText(size * MIB)}`])}
        onChange={(size) => change({ largerThan: size === undefined ? undefined : Number(size) })}
      />
    </div>
  );
}

/** What is listed, what of it is selected, and what can be done with that. */
export function LedgerPanel() {
  const { ledger, error } = useLedger();
  if (error)
    return (
      <>
        <h1>The disk cache cannot be read</h1>
        <p>{error.message}</p>
      </>
    );
  return ledger ? <LoadedLedger ledger={ledger} /> : <Waiting for="Looking through the caches…" />;
}

function LoadedLedger({ ledger }: { readonly ledger: Ledger }) {
  const marks = useMarks();
  const listing = useDrives().data?.drives;
  const [filter, setFilter] = useState(EVERYTHING);
  const [sort, setSort] = useState<Sort>({ column: "bytes", isDown: true });
  const [view, setView] = useState<"projects" | "items" | "map">("projects");
  const [open, setOpen] = useState<ReadonlySet<string>>(new Set());
  const [chosen, setChosen] = useState<ReadonlySet<string>>();
  const [plan, setPlan] = useState<Plan>();
  const [moved, setMoved] = useState<HeldReport>();
  const { busy, run } = useAttempt();

  const { items, places, reading, isMarking } = ledger;
  const stale = useMemo(() => staleKeys(items), [items]);
  const selected = chosen ?? stale;
  const asked = useDeferredValue(filter);
  // The ages of items are looked at again whenever there are others.
  const listed = useMemo(() => filterItems(items, asked, places, Date.now()), [items, asked, places]);
  const groups = useMemo(() => groupItems(listed), [listed]);
  const shares = useMemo(
    () => new Map<string, Share>(groups.map((group) => [group.id, selectedShare(group.items, selected)])),
    [groups, selected],
  );
  const share = useMemo(() => selectedShare(listed, selected), [listed, selected]);
  const canSelect = useMemo(() => listed.some(isSelectable), [listed]);
  const rows = useMemo(
    () => (view === "items" ? plainRows(listed, sort) : groupedRows(groups, open, sort)),
    [view, listed, groups, open, sort],
  );
  const drives = useMemo(() => driveParts(listing ?? [], places, items), [listing, places, items]);
  // What goes is what is ticked, of what is listed.
  const chosenItems = useMemo(
    () => listed.filter((item) => isSelectable(item) && selected.has(itemKey(item))),
    [listed, selected],
  );
  const hidden = useMemo(() => {
    const shown = new Set(listed);
    return items.filter((item) => isSelectable(item) && selected.has(itemKey(item)) && !shown.has(item));
  }, [items, listed, selected]);
  const sum = (list: readonly SweepItem[]) => list.reduce((total, { bytes }) => total + bytes, 0);
  const staleBytes = useMemo(() => sum(items.filter((item) => stale.has(itemKey(item)))), [items, stale]);
  const unownedBytes = useMemo(() => sum(items.filter(isUnowned)), [items]);
  const rebuildMs = chosenItems.reduce((total, item) => total + (item.rebuildMs ?? 0), 0);

  const onSelect = useCallback(
    (some: readonly SweepItem[], isIn: boolean) => {
      setPlan(undefined);
      setChosen((before) => withItems(before ?? stale, some, isIn));
    },
    [stale],
  );
  const onOpen = useCallback((id: string) => {
    setOpen((before) => {
      const next = new Set(before);
      if (!next.delete(id)) next.add(id);
      return next;
    });
  }, []);
  const select = (next: ReadonlySet<string> | undefined) => {
    setPlan(undefined);
    setChosen(next);
  };
  const { toggleOwner, toggleItem, ofOwner: markOf } = marks;
  const onMark = useCallback(
    (group: ItemGroup, mark: "kept" | "delivered") => {
      // Nothing else ticks itself again; what is said to be delivered may go.
      const isDelivered = mark === "delivered" && markOf(group) !== "delivered";
      setChosen((before) => {
        const next = new Set(before ?? stale);
        for (const item of group.items) if (isDelivered) next.add(itemKey(item));
        return next;
      });
      setPlan(undefined);
      toggleOwner(group, mark);
    },
    [toggleOwner, markOf, stale],
  );
  const onKeep = useCallback(
    (item: Pick<SweepItem, "place" | "id">) => {
      setChosen((before) => before ?? stale);
      setPlan(undefined);
      toggleItem(item);
    },
    [toggleItem, stale],
  );
  const onFilter = useCallback((next: LedgerFilter) => {
    // What would go is another thing then.
    setPlan(undefined);
    setFilter(next);
  }, []);
  const placeText = useCallback((id: string) => places.find((place) => place.id === id)?.path ?? id, [places]);
  const look = () =>
    run(async () => {
      setMoved(undefined);
      const found = await planSelection(selectionOf(chosenItems, selected));
      setPlan({ ...found, chosen: chosenItems });
    });
  const move = (planned: Plan) =>
    run(async () => {
      setMoved(await holdSelection(selectionOf(planned.chosen, selected)));
      setPlan(undefined);
      setChosen(new Set());
    });
  const bringBack = (report: HeldReport) =>
    run(async () => {
      for (const { id } of report.batches) await restoreBatch(id);
      setMoved(undefined);
    });
  const paths = useMemo(() => new Map(places.map(({ id, path }) => [id, path])), [places]);

  return (
    <>
      <div className="page-head">
        <h1>{stale.size > 0 ? `${bytesText(staleBytes)} can go` : isMarking ? "Looking…" : "Nothing is stale"}</h1>
        <span>
          {unownedBytes > 0 ? (
            <>
              <strong>
                {bytesText(unownedBytes)} {stale.size > 0 ? "more has" : "has"} no owner: look before.
              </strong>{" "}
            </>
          ) : null}
          Of {bytesText(sum(items))} of cache on {countText(Math.max(1, drives.length), "drive")}.{" "}
          {rebuildMs > 0
            ? `Rebuilding the selected ${bytesText(sum(chosenItems))} would take about ${durationText(rebuildMs)}${chosenItems.some(({ isEstimate }) => isEstimate) ? " est." : ""}`
            : ""}
          {reading > 0 ? " Still reading the list of a folder." : ""}
          {isMarking ? " Still working out which rendered frames can be shown again." : ""}
        </span>
        <div className="page-action page-exports">
          <Button
            variant="outline-dark"
            disabled={items.length === 0}
            title="The ledger as it is listed, a line an item"
            onClick={() => {
              const { names, rows } = ledgerTable(listed, paths);
              download("ledger.csv", csvText(names, rows), "text/csv");
            }}
          >
            CSV
          </Button>
          <Button
            variant="outline-dark"
            disabled={items.length === 0}
            title="The ledger as it is listed, for other tools"
            onClick={() => download("ledger.json", ledgerJson(listed, paths, Date.now()))}
          >
            JSON
          </Button>
          {chosenItems.length > 0 ? (
            <Button variant="dark" disabled={busy || plan !== undefined} onClick={() => void look()}>
              Check {bytesText(sum(chosenItems))} before it goes
            </Button>
          ) : null}
        </div>
      </div>
      {plan ? (
        <PlanPanel
          plan={plan}
          places={places}
          busy={busy}
          onMove={() => void move(plan)}
          onLeave={() => setPlan(undefined)}
        />
      ) : null}
      {moved ? <Moved report={moved} busy={busy} onBringBack={() => void bringBack(moved)} /> : null}
      <DriveBars drives={drives} />
      <section className="sheet ledger-sheet" aria-label="Ledger">
        <FilterBar ledger={ledger} filter={filter} onFilter={onFilter} drives={drives} />
        <div className="ledger-views">
          <ToggleButtonGroup
            type="radio"
            name="ledger-view"
            aria-label="View"
            value={view}
            onChange={(next: typeof view) => setView(next)}
          >
            {(
              [
                ["projects", "By project"],
                ["items", "Each item"],
                ["map", "Map"],
              ] as const
            ).map(([value, label]) => (
              <ToggleButton key={value} id={`view-${value}`} value={value} variant="outline-dark" size="sm">
                {label}
              </ToggleButton>
            ))}
          </ToggleButtonGroup>
          <span>
            {countText(listed.length, "item")} listed, {groupedText(chosenItems.length)} of them selected
          </span>
          {hidden.length > 0 ? (
            <span role="status">
              {countText(hidden.length, "selected item")} not listed, {bytesText(sum(hidden))}: stays{" "}
              <Button size="sm" variant="outline-dark" onClick={() => onFilter(EVERYTHING)}>
                List everything
              </Button>
            </span>
          ) : null}
          <Button size="sm" variant="outline-dark" disabled={!chosen} onClick={() => select(undefined)}>
            Select what is stale
          </Button>
          <Button size="sm" variant="outline-dark" onClick={() => select(new Set())}>
            Select nothing
          </Button>
        </div>
        {items.length === 0 ? (
          <p className="empty">
            Nothing is cached yet. Frames that Preview renders are listed here, and what is in any{" "}
            <Link to="/sweep/folders">folder that you register</Link>.
          </p>
        ) : listed.length === 0 ? (
          <p className="empty">
            Nothing matches.{" "}
            <Button size="sm" variant="outline-dark" onClick={() => setFilter(EVERYTHING)}>
              List everything
            </Button>
          </p>
        ) : (
          <>
            {view === "map" ? (
              <LedgerMap
                groups={groups}
                shares={shares}
                onToggle={(group) => onSelect(group.items, shares.get(group.id) === "none")}
              />
            ) : null}
            <LedgerTable
              rows={rows}
              listed={listed}
              canSelect={canSelect}
              share={share}
              shares={shares}
              selected={selected}
              open={open}
              sort={sort}
              onSort={setSort}
              placeText={placeText}
              markOf={marks.ofOwner}
              isKept={marks.isKept}
              onSelect={onSelect}
              onOpen={onOpen}
              onMark={onMark}
              onKeep={onKeep}
            />
          </>
        )}
      </section>
    </>
  );
}

interface MovedProps {
  readonly report: HeldReport;
  readonly busy: boolean;
  readonly onBringBack: () => void;
}

/** What was moved just now. */
function Moved({ report: { batches, skipped }, busy, onBringBack }: MovedProps) {
  const bytes = batches.reduce((sum, batch) => sum + batch.bytes, 0);
  const items = batches.reduce((sum, batch) => sum + batch.items, 0);
  return (
    <section className="sheet plan" aria-label="Moved" aria-live="polite">
      <div className="plan-head">
        <h2>
          {countText(items, "item")}, {bytesText(bytes)}, moved to holding
        </h2>
        <div className="plan-actions">
          <Link className="btn btn-outline-dark" to="/sweep/holding">
            Open Holding
          </Link>
          <Button variant="outline-dark" disabled={busy || items === 0} onClick={onBringBack}>
            Bring back
          </Button>
        </div>
      </div>
      <SkippedList skipped={skipped} words="stayed" />
    </section>
  );
}
