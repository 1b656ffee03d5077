import { frameBudgetMs, frameBytes, framesPerSecond, requiredReadBack } from "@kinetocache/core";
import { Link } from "react-router";
import { useEngine } from "../data/engineStore";
import { useMachine, useVolume } from "../data/server";
import { useWorkspace } from "../data/workspace";
import { CompositionMenu } from "./CompositionMenu";
import { bytesText, msText, rateText } from "./format";

interface GaugeProps {
  readonly label: string;
  readonly limitText: string;
  readonly value: string;
  readonly estimate?: boolean;
  /** Used and limit in one unit; the scale shows the larger of them. */
  readonly used: number;
  readonly limit: number;
  readonly over: boolean;
  readonly tier: "time" | "memory" | "disk";
  readonly to: string;
}

/** One budget: what is used, where the limit is. */
function Gauge({ label, limitText, value, estimate, used, limit, over, tier, to }: GaugeProps) {
  const scale = Math.max(used, limit * 1.02, 1e-9);
  return (
    <Link to={to} className={`gauge ${over ? "is-over" : ""}`}>
      <span className="gauge-head">
        <span>{label}</span>
        <span>{limitText}</span>
      </span>
      <span className={`gauge-value ${estimate ? "is-estimate" : ""}`}>
        {value}
        {estimate ? <small> est.</small> : null}
      </span>
      <span className={`gauge-bar tier-${tier}`} aria-hidden="true">
        <span className="gauge-fill" style={{ width: `${(100 * Math.min(used, scale)) / scale}%` }} />
        <span className="gauge-limit" style={{ left: `${(100 * limit) / scale}%` }} />
      </span>
    </Link>
  );
}

/** The costliest frame of the range, and whether its cost was measured. */
function useHeaviestFrame(): { ms: number; measured: boolean } | undefined {
  const timeline = useEngine((state) => state.timeline);
  const range = useEngine((state) => state.status?.range);
  if (!timeline || !range) return undefined;
  let worst = 0;
  let measured = true;
  for (let frame = range.in; frame < range.out; frame++) {
    const cost = timeline.costs[frame] ?? 0;
    if (cost > worst) {
      worst = cost;
      measured = timeline.measured[frame] !== 0;
    }
  }
  return worst > 0 ? { ms: worst, measured } : undefined;
}

/** The four budgets, in view on every screen. */
export function BudgetStrip() {
  const { composition, document, settings } = useWorkspace();
  const status = useEngine((state) => state.status);
  const machine = useMachine();
  const volume = useVolume();
  const frameTime = useHeaviestFrame();
  const budget = frameBudgetMs(composition.rate);
  const needed = requiredReadBack(frameBytes(composition, settings.fraction, document.depth), composition.rate);
  const readRate = status?.readRate;
  const disk = volume.data;
  const diskBytes = disk ? disk.bytes + disk.holdingBytes : 0;
  return (
    <header className="strip">
      <div className="strip-cell strip-composition">
        <span className="gauge-head">Composition</span>
        <CompositionMenu />
        <span className="strip-detail">
          {composition.width}×{composition.height} · {rateText(framesPerSecond(composition.rate))} fps ·{" "}
          {rateText(composition.duration / framesPerSecond(composition.rate))} s
        </span>
      </div>
      <div className="strip-cell strip-machine">
        <span className="gauge-head">Machine</span>
        <span className="strip-name">This machine</span>
        <span className="strip-detail">
          {machine.data && !machine.error
            ? `${bytesText(machine.data.availableBytes)} free of ${bytesText(machine.data.installedBytes)}`
            : "not read: no server"}
        </span>
      </div>
      <Gauge
        label="Heaviest frame"
        limitText={`budget ${msText(budget)}`}
        value={frameTime ? msText(frameTime.ms) : "–"}
        estimate={frameTime && !frameTime.measured}
        used={frameTime?.ms ?? 0}
        limit={budget}
        over={(frameTime?.ms ?? 0) > budget}
        tier="time"
        to="/preview"
      />
      <Gauge
        label="Memory cache"
        limitText={`budget ${bytesText(settings.memoryBudgetBytes)}`}
        value={status ? `${bytesText(status.memory.usedBytes)} · ${status.memory.frames} fr` : "–"}
        used={status?.memory.usedBytes ?? 0}
        limit={settings.memoryBudgetBytes}
        over={(status?.memory.usedBytes ?? 0) > settings.memoryBudgetBytes}
        tier="memory"
        to="/preview"
      />
      <Gauge
        label="Disk cache"
        limitText={disk ? `cap ${bytesText(disk.capBytes)}` : "no server"}
        value={disk ? `${bytesText(diskBytes)} · ${disk.frames} fr` : "–"}
        used={diskBytes}
        limit={disk?.capBytes ?? 1}
        over={status?.disk.kind === "full"}
        tier="disk"
        to="/sweep"
      />
      <Gauge
        label="Read-back"
        limitText={`need ${bytesText(needed)}/s`}
        value={readRate ? `${bytesText(readRate)}/s` : "not measured"}
        used={readRate ?? 0}
        limit={needed}
        over={readRate !== undefined && readRate < needed}
        tier="disk"
        to="/sweep"
      />
    </header>
  );
}
