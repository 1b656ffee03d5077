import { frameBudgetMs, framesPerSecond, ON_DISK, rateName } from "@kinetocache/core";
import { useMemo } from "react";
import { Link } from "react-router";
import { usedBytes } from "../data/room";
import { useEngine } from "../data/engineStore";
import { useSimulatedFigures } from "../data/machine";
import { useDiskCache } from "../data/locations";
import { useReadBack } from "../data/readBack";
import { useMachine } from "../data/server";
import { useWorkspace } from "../data/workspace";
import { CompositionMenu } from "./CompositionMenu";
import { MachineMenu } from "./MachineMenu";
import { bytesText, msNumber, msText, rateText } from "./format";
import { frameTimes } from "./frameTimes";
import "./BudgetStrip.css";

interface GaugeProps {
  readonly label: string;
  /** What kind of limit it is, where there is room to say so. */
  readonly limitWord: string;
  readonly limitText: string;
  readonly value: string;
  readonly estimate?: boolean;
  /** Used and limit in one unit; the scale shows the larger of them. */
  readonly used: number;
  readonly limit: number;
  /** A single value beside, marked on the bar. */
  readonly mark?: { readonly at: number; readonly text: string; readonly title: string };
  readonly over: boolean;
  readonly tier: "time" | "memory" | "disk";
  readonly to: string;
}

/** One budget: what is used, where the limit is. */
function Gauge({ label, limitWord, limitText, value, estimate, used, limit, mark, over, tier, to }: GaugeProps) {
  const scale = Math.max(used, mark?.at ?? 0, limit * 1.02, 1e-9);
  return (
    <Link to={to} className={`gauge ${over ? "is-over" : ""}`} title={mark?.title}>
      <span className="gauge-head">
        <span>{label}</span>
        <span>
          <span className="wide-only">{limitWord} </span>
          {limitText}
        </span>
      </span>
      <span className={`gauge-value ${estimate ? "is-estimate" : ""}`}>
        {value}
        {estimate ? <small> est.</small> : null}
        {mark ? <small className="gauge-mark-text"> {mark.text}</small> : null}
      </span>
      <span className={`gauge-bar tier-${tier}`} aria-hidden="true">
        <span className="gauge-fill" style={{ width: `${(100 * Math.min(used, scale)) / scale}%` }} />
        {mark ? <span className="gauge-mark" style={{ left: `${(100 * mark.at) / scale}%` }} /> : null}
        <span className="gauge-limit" style={{ left: `${(100 * limit) / scale}%` }} />
      </span>
    </Link>
  );
}

/** What the frames of the range cost to render, held or not; undefined while nothing is known of them. */
function useFrameTimes() {
  const timeline = useEngine((state) => state.timeline);
  const range = useEngine((state) => state.status?.range);
  return useMemo(() => timeline && range && frameTimes(timeline, range), [timeline, range]);
}

function FrameTimeGauge() {
  const { composition } = useWorkspace();
  const times = useFrameTimes();
  const budget = frameBudgetMs(composition.rate);
  return (
    <Gauge
      label="Average frame"
      limitWord="budget"
      limitText={msText(budget)}
      value={times ? msText(times.meanMs) : "–"}
      estimate={times && !times.measured}
      used={times?.meanMs ?? 0}
      limit={budget}
      mark={
        times && {
          at: times.heaviestMs,
          text: `heaviest ${msNumber(times.heaviestMs)}`,
          title: `The heaviest frame takes ${msText(times.heaviestMs)}`,
        }
      }
      over={(times?.meanMs ?? 0) > budget}
      tier="time"
      to="/preview"
    />
  );
}

function MemoryGauge() {
  const { settings } = useWorkspace();
  const memory = useEngine((state) => state.status?.memory);
  return (
    <Gauge
      label="Memory cache"
      limitWord="budget"
      limitText={bytesText(settings.memoryBudgetBytes)}
      value={memory ? `${bytesText(memory.usedBytes)} · ${memory.frames} fr` : "–"}
      used={memory?.usedBytes ?? 0}
      limit={settings.memoryBudgetBytes}
      over={(memory?.usedBytes ?? 0) > settings.memoryBudgetBytes}
      tier="memory"
      to="/machine"
    />
  );
}

function DiskGauge() {
  const refused = useEngine((state) => state.status?.disk.kind === "refused");
  const { location, error } = useDiskCache();
  const disk = location?.contents;
  const used = disk ? usedBytes(disk) : 0;
  const without = error ? "no server" : location ? location.condition.kind : "–";
  return (
    <Gauge
      label="Disk cache"
      limitWord={disk ? "cap" : ""}
      limitText={disk ? bytesText(disk.settings.capBytes) : without}
      value={disk ? `${bytesText(used)} · ${disk.frames} fr` : "–"}
      used={used}
      limit={disk?.settings.capBytes ?? 1}
      over={refused}
      tier="disk"
      to="/storage"
    />
  );
}

function ReadBackGauge() {
  const { rate, needed } = useReadBack();
  // What is in memory need not be read.
  const isRead = useEngine(
    ({ status, timeline }) =>
      status !== undefined &&
      (timeline?.residency.subarray(status.range.in, status.range.out).some((tiers) => tiers === ON_DISK) ?? false),
  );
  return (
    <Gauge
      label="Read-back"
      limitWord="need"
      limitText={`${bytesText(needed)}/s`}
      value={rate ? `${bytesText(rate)}/s` : "not measured"}
      used={rate ?? 0}
      limit={needed}
      over={isRead && rate !== undefined && rate < needed}
      tier="disk"
      to="/storage"
    />
  );
}

/** The four budgets, in view on every screen. */
export function BudgetStrip() {
  const { composition } = useWorkspace();
  const machine = useMachine();
  const simulated = useSimulatedFigures()?.machine;
  const figures = simulated ?? (machine.error ? undefined : machine.data);
  return (
    <header className="strip">
      <div className="strip-cell strip-composition">
        <span className="gauge-head">Composition</span>
        <CompositionMenu />
        <span className="strip-detail">
          {composition.width}×{composition.height} · {rateName(composition.rate)} fps ·{" "}
          {rateText(composition.duration / framesPerSecond(composition.rate))} s
        </span>
      </div>
      <div className="strip-cell strip-machine">
        <span className="gauge-head">Machine</span>
        <MachineMenu />
        <span className="strip-detail">
          {figures ? (
            <>
              {bytesText(figures.availableBytes)} free
              <span className="wide-only"> of {bytesText(figures.installedBytes)}</span>
            </>
          ) : machine.error ? (
            <span title="Without the server the machine cannot be read">not read: no server</span>
          ) : (
            "reading…"
          )}
        </span>
      </div>
      <FrameTimeGauge />
      <MemoryGauge />
      <DiskGauge />
      <ReadBackGauge />
    </header>
  );
}
