import type { Bytes } from "@kinetocache/core";
import { useRef, type KeyboardEvent, type PointerEvent } from "react";
import { bytesText } from "../../parts/format";
import type { MemoryPlan, Shares } from "./memoryPlan";
import "./MemoryBar.css";

const STEP = 64 * 2 ** 20;
const LARGE_STEP = 1024 * 2 ** 20;

interface Boundary {
  readonly name: string;
  /** Distance from the left end of the bar. */
  readonly at: Bytes;
  readonly value: number;
  readonly text: string;
  readonly most: number;
  /** Shares when the boundary is moved to a place. */
  readonly moved: (at: Bytes) => Partial<Shares>;
  readonly stepped: (steps: number) => Partial<Shares>;
}

interface MemoryBarProps {
  readonly plan: MemoryPlan;
  readonly shares: Shares;
  readonly mostParallel: number;
  readonly cacheText: string;
  /** While a boundary is dragged. */
  readonly onDrag: (change: Partial<Shares>) => void;
  /** When it is let go. */
  readonly onApply: (change: Partial<Shares>) => void;
}

/** All that is installed, end to end; three of its boundaries can be moved. */
export function MemoryBar({ plan, shares, mostParallel, cacheText, onDrag, onApply }: MemoryBarProps) {
  const bar = useRef<HTMLDivElement>(null);
  const dragged = useRef<Partial<Shares>>(undefined);
  const { split, oneBytes, windowBytes } = plan;
  const { installedBytes, systemBytes, programsBytes, keptFreeBytes, workingBytes, cacheBytes } = split;
  const parts = [
    { name: "System", bytes: systemBytes, className: "memory-system" },
    { name: "Other programs", bytes: programsBytes, className: "memory-programs" },
    { name: "Kept free", bytes: keptFreeBytes, className: "memory-free" },
    { name: "Not given out", bytes: split.spareBytes, className: "memory-spare" },
    { name: "Working", bytes: workingBytes, className: "memory-working" },
    { name: "Memory cache", bytes: cacheBytes, className: "memory-cache", text: cacheText },
  ];
  // More than is installed may have been given out: the bar then holds all of that.
  const whole = installedBytes + split.missingBytes;
  const share = (bytes: Bytes) => `${(100 * Math.max(0, Math.min(whole, bytes))) / whole}%`;
  const taken = systemBytes + programsBytes;
  const clamp = (value: number, most: number) => Math.round(Math.max(0, Math.min(most, value)));
  const room = whole - taken;
  const parallelOf = (count: number) => ({ parallel: Math.max(1, clamp(count, mostParallel)) });
  const boundaries: readonly Boundary[] = [
    {
      name: "Kept free",
      at: taken + keptFreeBytes,
      value: keptFreeBytes,
      text: bytesText(keptFreeBytes),
      most: room,
      moved: (at) => ({ keptFreeBytes: clamp(at - taken, room) }),
      stepped: (steps) => ({ keptFreeBytes: clamp(keptFreeBytes + steps * STEP, room) }),
    },
    {
      name: "Frames in parallel",
      at: whole - cacheBytes - workingBytes,
      value: shares.parallel,
      text: `${shares.parallel} in parallel, ${bytesText(workingBytes)}`,
      most: mostParallel,
      moved: (at) => parallelOf(Math.round((whole - cacheBytes - at) / oneBytes)),
      stepped: (steps) => parallelOf(shares.parallel - Math.sign(steps)),
    },
    {
      name: "Memory cache",
      at: whole - cacheBytes,
      value: cacheBytes,
      text: `${bytesText(cacheBytes)}, ${cacheText}`,
      most: room,
      moved: (at) => ({ cacheBytes: clamp(whole - at, room) }),
      stepped: (steps) => ({ cacheBytes: clamp(cacheBytes - steps * STEP, room) }),
    },
  ];
  const placeOf = (event: PointerEvent) => {
    const { left, width } = bar.current!.getBoundingClientRect();
    return ((event.clientX - left) / width) * whole;
  };
  const move = (boundary: Boundary, event: PointerEvent) => {
    dragged.current = boundary.moved(placeOf(event));
    onDrag(dragged.current);
  };
  const press = (boundary: Boundary, event: KeyboardEvent) => {
    const direction = { ArrowLeft: -1, ArrowDown: -1, ArrowRight: 1, ArrowUp: 1, PageDown: -1, PageUp: 1 }[event.key];
    if (direction === undefined) return;
    event.preventDefault();
    onApply(boundary.stepped((direction * (event.key.startsWith("Page") ? LARGE_STEP : STEP)) / STEP));
  };

  return (
    <div className="memory">
      <div className="memory-bar" ref={bar}>
        {parts.map(({ name, bytes, className }) => (
          <div key={name} className={className} title={`${name} ${bytesText(bytes)}`} style={{ width: share(bytes) }} />
        ))}
        {boundaries.map((boundary) => (
          <span
            key={boundary.name}
            role="slider"
            tabIndex={0}
            className="memory-handle"
            style={{ left: share(boundary.at) }}
            aria-label={`${boundary.name}, boundary`}
            aria-valuemin={0}
            aria-valuemax={boundary.most}
            aria-valuenow={boundary.value}
            aria-valuetext={boundary.text}
            title={boundary.name}
            onKeyDown={(event) => press(boundary, event)}
            onPointerDown={(event) => {
              event.currentTarget.setPointerCapture(event.pointerId);
              move(boundary, event);
            }}
            onPointerMove={(event) => dragged.current && move(boundary, event)}
            onPointerUp={() => {
              if (dragged.current) onApply(dragged.current);
              dragged.current = undefined;
            }}
          />
        ))}
      </div>
      <div className="memory-edges" aria-hidden="true">
        <span style={{ left: share(whole - windowBytes) }}>window around the playhead</span>
        <span style={{ left: share(whole - split.swapEdgeBytes) }}>memory runs out here</span>
      </div>
      <ul className="drive-legend memory-legend" aria-label="What memory holds">
        {parts.map(({ name, bytes, className, text }) => (
          <li key={name}>
            <span className={`swatch ${className}`} /> {name}{" "}
            <span className="mono">{text ? `${bytesText(bytes)}, ${text}` : bytesText(bytes)}</span>
          </li>
        ))}
      </ul>
    </div>
  );
}
