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

function TakeJob() {
  const range = useEngine((state) => state.status!.range);
  const playhead = useEngine((state) => state.status!.playhead);
  const done = playhead - range.in + 1;
  const total = range.out - range.in;
  return (
    <div className="drawer-job">
      <div className="drawer-text">
        <strong>Measuring a take</strong>
        <span className="mono">
          {done} / {total}
        </span>
      </div>
      <Progress label="Frames of the take" done={done} total={total} />
      <Button size="sm" variant="outline-dark" onClick={() => send({ kind: "pause" })}>
        <Square size={13} aria-hidden="true" /> Stop
      </Button>
    </div>
  );
}

function FillingJob() {
  const { changeSettings } = useWorkspace();
  const { paused, held, total, remainingMs } = useEngine((state) => state.status!.filling);
  return (
    <div className="drawer-job">
      <div className="drawer-text">
        <strong>{paused ? "Background rendering, paused" : "Background rendering"}</strong>
        <span className="mono">
          {held} / {total}
          {remainingMs !== undefined ? ` · ${durationText(remainingMs)} left (est.)` : ""}
        </span>
      </div>
      <Progress label="Frames held" done={held} total={total} />
      <Button size="sm" variant="outline-dark" onClick={() => send({ kind: "pauseFilling", paused: !paused })}>
        {paused ? <Play size={13} aria-hidden="true" /> : <Pause size={13} aria-hidden="true" />}{" "}
        {paused ? "Go on" : "Pause"}
      </Button>
      <Button
        size="sm"
        variant="outline-dark"
        onClick={() => {
          send({ kind: "pauseFilling", paused: false });
          changeSettings({ background: "Off" });
        }}
      >
        Turn off
      </Button>
    </div>
  );
}

function TrialJob() {
  const trial = useEngine((state) => state.status?.trial);
  if (!trial) return null;
  return (
    <div className="drawer-job">
      <div className="drawer-text">
        <strong>Measuring {trial.of}</strong>
        <span className="mono">{trial.step}</span>
      </div>
      <Progress label="Share of the measurement" done={Math.round(100 * trial.progress)} total={100} />
      <Button size="sm" variant="outline-dark" onClick={() => send({ kind: "touch" })}>
        <Square size={13} aria-hidden="true" /> Stop
      </Button>
    </div>
  );
}

/** Long work, in one place: background rendering, a take, or a measurement in progress. */
export function JobDrawer() {
  const isTrial = useEngine((state) => state.status?.trial !== undefined);
  const measuringTake = useEngine((state) => state.status?.measuringTake ?? false);
  const filling = useEngine(({ status }) => {
    if (!status || status.filling.held >= status.filling.total) return false;
    return status.mode === "filling" || status.filling.paused;
  });
  if (!measuringTake && !filling && !isTrial) return null;
  return (
    <aside className="drawer" aria-label="Work in progress">
      {isTrial ? <TrialJob /> : measuringTake ? <TakeJob /> : <FillingJob />}
    </aside>
  );
}
