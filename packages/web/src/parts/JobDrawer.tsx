import { Pause, Play, Square } from "lucide-react";
import Button from "react-bootstrap/Button";
import { send, useEngine } from "../data/engineStore";
import { useWorkspace } from "../data/workspace";
import { durationText } from "./format";

interface ProgressProps {
  readonly label: string;
  readonly done: number;
  readonly total: number;
}

function Progress({ label, done, total }: ProgressProps) {
  return (
    <div
      className="progress"
      role="progressbar"
      aria-label={label}
      aria-valuemin={0}
      aria-valuemax={total}
      aria-valuenow={done}
    >
      <div className="progress-bar" style={{ width: `${(100 * done) / total}%` }} />
    </div>
  );
}

/** Long work, in one place: background rendering and a take in progress. */
export function JobDrawer() {
  const { settings, changeSettings } = useWorkspace();
  const status = useEngine((state) => state.status);
  if (!status) return null;
  const { filling, mode, measuringTake, range, playhead } = status;
  const active = mode === "filling" && filling.held < filling.total;
  const paused = filling.paused && filling.held < filling.total;
  if (!measuringTake && !active && !paused) return null;
  return (
    <aside className="drawer" aria-label="Work in progress">
      {measuringTake ? (
        <div className="drawer-job">
          <div className="drawer-text">
            <strong>Measuring a take</strong>
            <span className="mono">
              {playhead - range.in + 1} / {range.out - range.in}
            </span>
          </div>
          <Progress label="Frames of the take" done={playhead - range.in + 1} total={range.out - range.in} />
          <Button size="sm" variant="outline-dark" onClick={() => send({ kind: "pause" })}>
            <Square size={13} aria-hidden="true" /> Stop
          </Button>
        </div>
      ) : (
        <div className="drawer-job">
          <div className="drawer-text">
            <strong>{paused ? "Background rendering, paused" : "Background rendering"}</strong>
            <span className="mono">
              {filling.held} / {filling.total}
              {filling.remainingMs !== undefined ? ` · ${durationText(filling.remainingMs)} left (est.)` : ""}
            </span>
          </div>
          <Progress label="Frames held" done={filling.held} total={filling.total} />
          <Button
            size="sm"
            variant="outline-dark"
            onClick={() => send({ kind: "pauseFilling", paused: !filling.paused })}
          >
            {filling.paused ? <Play size={13} aria-hidden="true" /> : <Pause size={13} aria-hidden="true" />}{" "}
            {filling.paused ? "Go on" : "Pause"}
          </Button>
          <Button
            size="sm"
            variant="outline-dark"
            onClick={() => {
              send({ kind: "pauseFilling", paused: false });
              if (settings.background !== "Off") changeSettings({ background: "Off" });
            }}
          >
            Turn off
          </Button>
        </div>
      )}
    </aside>
  );
}
