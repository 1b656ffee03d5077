import { isSweepable, type ItemGroup } from "@kinetocache/core";
import { Treemap } from "recharts";
import { useEffect, useRef, useState } from "react";
import { bytesText } from "../../parts/format";
import { useTextScale } from "../../parts/textScale";
import type { Share } from "./ledgerView";
import { projectText } from "./sweepWords";

// Smaller ones could not be told apart; they share one rectangle.
const MOST_RECTANGLES = 60;
const HEIGHT = 300;

interface LedgerMapProps {
  readonly groups: readonly ItemGroup[];
  /** How much of each group is selected. */
  readonly shares: ReadonlyMap<string, Share>;
  readonly onToggle: (group: ItemGroup) => void;
}

interface Cell {
  readonly [key: string]: unknown;
  readonly name: string;
  readonly size: number;
  readonly group?: ItemGroup;
  readonly share: Share;
}

interface CellProps {
  readonly x?: number;
  readonly y?: number;
  readonly width?: number;
  readonly height?: number;
  readonly depth?: number;
  readonly name?: string;
  readonly size?: number;
  readonly group?: ItemGroup;
  readonly share?: Share;
  /** How large text is, over the usual size. */
  readonly scale: number;
  readonly onToggle: (group: ItemGroup) => void;
}

function Rectangle(props: CellProps) {
  const { x = 0, y = 0, width = 0, height = 0, depth, name, size = 0, group, share, scale, onToggle } = props;
  if (depth !== 1 || width < 1 || height < 1) return null;
  const isStale = group !== undefined && isSweepable(group.state, group.kind);
  const fits = width > 90 * scale && height > 34 * scale;
  return (
    <g
      className={`map-cell ${isStale ? "is-stale" : ""} ${share === "none" ? "" : "is-selected"}`}
      role={group ? "button" : "img"}
      aria-label={`${name}, ${bytesText(size)}`}
      aria-pressed={group ? share !== "none" : undefined}
      tabIndex={0}
      onClick={() => group && onToggle(group)}
      onKeyDown={(event) => {
        if (!group || (event.key !== "Enter" && event.key !== " ")) return;
        event.preventDefault();
        onToggle(group);
      }}
    >
      <rect x={x + 1} y={y + 1} width={Math.max(0, width - 2)} height={Math.max(0, height - 2)} />
      <title>{`${name}, ${bytesText(size)}`}</title>
      {fits ? (
        <>
          <text x={x + 8} y={y + 17 * scale}>
            {shortened(name ?? "", width / scale)}
          </text>
          <text x={x + 8} y={y + 31 * scale} className="map-size">
            {bytesText(size)}
          </text>
        </>
      ) : null}
    </g>
  );
}

/** Cut to what fits, by the width of a mean letter. */
function shortened(text: string, width: number): string {
  const fits = Math.floor((width - 14) / 6.2);
  return text.length <= fits ? text : `${text.slice(0, Math.max(1, fits - 1))}…`;
}

/** Groups as rectangles by size; the list has the same selection. Each has its name on hover and on focus. */
export function LedgerMap({ groups, shares, onToggle }: LedgerMapProps) {
  const box = useRef<HTMLDivElement>(null);
  const [width, setWidth] = useState(0);
  const scale = useTextScale();
  useEffect(() => {
    const observer = new ResizeObserver(([entry]) => setWidth(Math.floor(entry!.contentRect.width)));
    observer.observe(box.current!);
    return () => observer.disconnect();
  }, []);
  const shown = groups.filter(({ bytes }) => bytes > 0).sort((a, b) => b.bytes - a.bytes);
  const rest = shown.slice(MOST_RECTANGLES);
  const cells: Cell[] = shown.slice(0, MOST_RECTANGLES).map((group) => ({
    name: `${projectText(group.project)}, ${group.kind}, ${group.state}`,
    size: group.bytes,
    group,
    share: shares.get(group.id) ?? "none",
  }));
  if (rest.length > 0)
    cells.push({
      name: `${rest.length} smaller groups`,
      size: rest.reduce((sum, { bytes }) => sum + bytes, 0),
      share: "none",
    });
  return (
    <div ref={box} className="ledger-map" role="group" aria-label={`${shown.length} groups as rectangles by size`}>
      {width > 0 ? (
        <Treemap
          width={width}
          height={HEIGHT}
          data={cells}
          dataKey="size"
          isAnimationActive={false}
          content={<Rectangle scale={scale} onToggle={onToggle} />}
        />
      ) : null}
    </div>
  );
}
