import { isSweepable, type ItemGroup, type OwnerMark, type SweepItem } from "@kinetocache/core";
import { ChevronDown, ChevronRight } from "lucide-react";
import { memo, useEffect, useRef, useState, type KeyboardEvent } from "react";
import { shortPath } from "../../data/locations";
import { isRegistered } from "../../data/marks";
import { agoText, bytesText, groupedText } from "../../parts/format";
import { isSelectable, itemKey, type LedgerRow, type Share, type Sort, type SortColumn } from "./ledgerView";
import { useRows } from "../../parts/rows";
import { itemText, kindText, projectText, rebuildText } from "./sweepWords";
import "./LedgerTable.css";

// Must match the height of .ledger-row, at the usual size of text.
const ROW_PX = 28;
const AHEAD = 4;

const COLUMNS: readonly { readonly label: string; readonly column?: SortColumn; readonly isNumber?: boolean }[] = [
  { label: "Project", column: "project" },
  { label: "Kind", column: "kind" },
  { label: "State", column: "state" },
  { label: "Size", column: "bytes", isNumber: true },
  { label: "Last used", column: "usedMs", isNumber: true },
  { label: "To rebuild", column: "rebuildMs", isNumber: true },
  { label: "Where" },
  { label: "Keep" },
];

interface LedgerActions {
  readonly onSelect: (items: readonly SweepItem[], isIn: boolean) => void;
  readonly onOpen: (group: string) => void;
  /** Marks a project, or takes the mark away. */
  readonly onMark: (group: ItemGroup, mark: OwnerMark) => void;
  readonly onKeep: (item: SweepItem) => void;
}

interface LedgerTableProps extends LedgerActions {
  readonly rows: readonly LedgerRow[];
  /** All items that are listed, in groups that are closed too. */
  readonly listed: readonly SweepItem[];
  /** Whether any of them can be selected at all. */
  readonly canSelect: boolean;
  /** How much of all of them is selected. */
  readonly share: Share;
  /** And of each group. */
  readonly shares: ReadonlyMap<string, Share>;
  readonly selected: ReadonlySet<string>;
  readonly open: ReadonlySet<string>;
  readonly sort: Sort;
  readonly onSort: (sort: Sort) => void;
  readonly placeText: (place: string) => string;
  readonly markOf: (group: ItemGroup) => OwnerMark | undefined;
  readonly isKept: (item: SweepItem) => boolean;
}

interface BoxProps {
  readonly label: string;
  readonly share: Share;
  readonly isDisabled: boolean;
  readonly onChange: (isIn: boolean) => void;
}

/** A box that may be half checked. */
function Box({ label, share, isDisabled, onChange }: BoxProps) {
  const box = useRef<HTMLInputElement>(null);
  useEffect(() => {
    box.current!.indeterminate = share === "some";
  }, [share]);
  return (
    <input
      ref={box}
      type="checkbox"
      className="form-check-input"
      aria-label={label}
      checked={share === "all"}
      disabled={isDisabled}
      onChange={(event) => onChange(event.target.checked)}
    />
  );
}

function State({ state, reason, kind }: Pick<SweepItem, "state" | "reason" | "kind">) {
  return (
    <>
      <span className={`state ${isSweepable(state, kind) ? "is-stale" : ""}`}>{state}</span> {reason}
    </>
  );
}

interface GroupRowProps extends LedgerActions {
  readonly group: ItemGroup;
  readonly share: Share;
  readonly isOpen: boolean;
  readonly place: string;
  readonly mark: OwnerMark | undefined;
}

const GroupRow = memo(function GroupRow({
  group,
  share,
  isOpen,
  place,
  mark,
  onSelect,
  onOpen,
  onMark,
}: GroupRowProps) {
  const name = projectText(group.project);
  const toggle = isOpen ? "Close" : "Open";
  return (
    <>
      <span role="gridcell">
        <Box
          label={`Select ${name}, ${group.kind}, ${group.state}`}
          share={share}
          isDisabled={!group.items.some(isSelectable)}
          onChange={(isIn) => onSelect(group.items, isIn)}
        />
      </span>
      <span role="gridcell" className="ledger-name">
        <button
          type="button"
          className="ledger-open"
          aria-label={`${toggle} ${name}, ${group.kind}, ${group.state}`}
          aria-expanded={isOpen}
          onClick={() => onOpen(group.id)}
        >
          {isOpen ? (
            <ChevronDown size="0.875rem" aria-hidden="true" />
          ) : (
            <ChevronRight size="0.875rem" aria-hidden="true" />
          )}
        </button>
        <strong title={name}>{name}</strong>
        <small>{groupedText(group.items.length)}</small>
      </span>
      <span role="gridcell">{kindText(group.kind)}</span>
      <span role="gridcell" className="ledger-state" title={group.reason}>
        <State {...group} />
      </span>
      <span role="gridcell" className="number">
        {bytesText(group.bytes)}
      </span>
      <span role="gridcell" className="number">
        {agoText(group.usedMs, Date.now())}
      </span>
      <span role="gridcell" className={`number ${group.isEstimate ? "is-estimate" : ""}`}>
        {rebuildText(group)}
      </span>
      <span role="gridcell" className="ledger-place" title={place}>
        {shortPath(place)}
      </span>
      <span role="gridcell" className="marks">
        {group.owner === undefined ? null : (
          <>
            <Mark group={group} name={name} mark="kept" label="Keep" isOn={mark === "kept"} onMark={onMark} />
            <Mark
              group={group}
              name={name}
              mark="delivered"
              label="Delivered"
              isOn={mark === "delivered"}
              onMark={onMark}
            />
          </>
        )}
      </span>
    </>
  );
});

interface MarkProps {
  readonly group: ItemGroup;
  readonly name: string;
  readonly mark: OwnerMark;
  readonly label: string;
  readonly isOn: boolean;
  readonly onMark: LedgerActions["onMark"];
}

function Mark({ group, name, mark, label, isOn, onMark }: MarkProps) {
  return (
    <button
      type="button"
      className="ledger-mark"
      aria-pressed={isOn}
      aria-label={`${label}: ${name}`}
      title={mark === "kept" ? "Never sweep any of the project" : "Done: what was generated for the project can go"}
      onClick={() => onMark(group, mark)}
    >
      {label}
    </button>
  );
}

interface ItemRowProps extends Pick<LedgerActions, "onSelect" | "onKeep"> {
  readonly item: SweepItem;
  readonly isInside: boolean;
  readonly isSelected: boolean;
  readonly isKept: boolean;
  readonly place: string;
}

const ItemRow = memo(function ItemRow({ item, isInside, isSelected, isKept, place, onSelect, onKeep }: ItemRowProps) {
  return (
    <>
      <span role="gridcell">
        <Box
          label={`Select ${itemText(item)}`}
          share={isSelected && isSelectable(item) ? "all" : "none"}
          isDisabled={!isSelectable(item)}
          onChange={(isIn) => onSelect([item], isIn)}
        />
      </span>
      <span role="gridcell" className={`ledger-name ledger-path mono ${isInside ? "is-inside" : ""}`} title={item.id}>
        {itemText(item)}
      </span>
      <span role="gridcell">{kindText(item.kind)}</span>
      <span role="gridcell" className="ledger-state" title={item.reason}>
        <State {...item} />
      </span>
      <span role="gridcell" className="number">
        {bytesText(item.bytes)}
      </span>
      <span role="gridcell" className="number">
        {agoText(item.usedMs, Date.now())}
      </span>
      <span role="gridcell" className={`number ${item.isEstimate ? "is-estimate" : ""}`}>
        {rebuildText(item)}
      </span>
      <span role="gridcell" className="ledger-place" title={place}>
        {shortPath(place)}
      </span>
      <span role="gridcell" className="marks">
        {isRegistered(item.place) ? (
          <button
            type="button"
            className="ledger-mark"
            aria-pressed={isKept}
            aria-label={`Keep: ${item.id}`}
            title="Never sweep it"
            onClick={() => onKeep(item)}
          >
            Keep
          </button>
        ) : null}
      </span>
    </>
  );
});

/**
 * What could be swept, line by line; only the lines in view are drawn. Lines are plain objects in the order of
 * `ledgerView`: the row models of the package for tables take a gigabyte for 200,000 of them, and seconds.
 */
export function LedgerTable(props: LedgerTableProps) {
  const {
    rows,
    listed,
    canSelect,
    share,
    shares,
    selected,
    open,
    sort,
    onSort,
    placeText,
    markOf,
    isKept,
    ...actions
  } = props;
  const box = useRef<HTMLDivElement>(null);
  const [active, setActive] = useState(0);
  const { rows: virtual, rowHeight } = useRows({
    count: rows.length,
    scroller: box,
    heightPx: ROW_PX,
    overscan: AHEAD,
    // The line of names stays on top of the lines.
    hasHead: true,
  });
  const focus = (index: number) => {
    const next = Math.max(0, Math.min(rows.length - 1, index));
    setActive(next);
    virtual.scrollToIndex(next);
    // The line may not be drawn yet.
    requestAnimationFrame(() =>
      box.current?.querySelector<HTMLElement>(`[data-row="${next}"] input, [data-row="${next}"] button`)?.focus(),
    );
  };
  const onKeyDown = (event: KeyboardEvent) => {
    const row = (event.target as HTMLElement).closest<HTMLElement>("[data-row]");
    const index = row ? Number(row.dataset.row) : active;
    const page = Math.floor((box.current?.clientHeight ?? 0) / rowHeight) - 1;
    const steps: Readonly<Record<string, number>> = {
      ArrowDown: index + 1,
      ArrowUp: index - 1,
      PageDown: index + page,
      PageUp: index - page,
      Home: 0,
      End: rows.length - 1,
    };
    const group = rows[index]?.group;
    if (event.key in steps) focus(steps[event.key]!);
    else if (event.key === "ArrowRight" && group && !open.has(group.id)) actions.onOpen(group.id);
    else if (event.key === "ArrowLeft" && group && open.has(group.id)) actions.onOpen(group.id);
    else return;
    event.preventDefault();
  };
  const lines = virtual.getVirtualItems();
  const isDown = (column: SortColumn) => (sort.column === column ? !sort.isDown : column !== "project");
  return (
    <div
      className="ledger-grid"
      role="grid"
      aria-label="What could be swept"
      aria-rowcount={rows.length + 1}
      onKeyDown={onKeyDown}
    >
      <div ref={box} className="ledger-body" role="rowgroup" tabIndex={-1}>
        <div role="row" className="ledger-row ledger-head" aria-rowindex={1}>
          <span role="columnheader">
            <Box
              label="Select all that is listed"
              share={share}
              isDisabled={!canSelect}
              onChange={(isIn) => actions.onSelect(listed, isIn)}
            />
          </span>
          {COLUMNS.map(({ label, column, isNumber }) => (
            <span
              key={label}
              role="columnheader"
              className={isNumber ? "number" : ""}
              aria-sort={column === sort.column ? (sort.isDown ? "descending" : "ascending") : undefined}
            >
              {column ? (
                <button type="button" onClick={() => onSort({ column, isDown: isDown(column) })}>
                  {label}
                  {column === sort.column ? (sort.isDown ? " ↓" : " ↑") : ""}
                </button>
              ) : (
                label
              )}
            </span>
          ))}
        </div>
        <div role="presentation" className="ledger-lines" style={{ height: virtual.getTotalSize() }}>
          {/* All lines in view move as one: each that moved by itself would be drawn apart. */}
          <div role="presentation" style={{ transform: `translateY(${lines[0]?.start ?? 0}px)` }}>
            {lines.map(({ index }) => {
              const row = rows[index]!;
              return (
                <div
                  key={row.group ? row.group.id : itemKey(row.item)}
                  role="row"
                  className={row.group ? "ledger-row is-group" : "ledger-row"}
                  aria-rowindex={index + 2}
                  data-row={index}
                >
                  {row.group ? (
                    <GroupRow
                      group={row.group}
                      share={shares.get(row.group.id) ?? "none"}
                      isOpen={open.has(row.group.id)}
                      place={placeText(row.group.place)}
                      mark={row.group.owner === undefined ? undefined : markOf(row.group)}
                      {...actions}
                    />
                  ) : (
                    <ItemRow
                      item={row.item}
                      isInside={row.isInside}
                      isSelected={selected.has(itemKey(row.item))}
                      isKept={isKept(row.item)}
                      place={placeText(row.item.place)}
                      onSelect={actions.onSelect}
                      onKeep={actions.onKeep}
                    />
                  )}
                </div>
              );
            })}
          </div>
        </div>
      </div>
    </div>
  );
}
