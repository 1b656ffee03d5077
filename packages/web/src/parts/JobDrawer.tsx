import { Pause, Play, Square } from "lucide-react";
import Button from "react-bootstrap/Button";
import ProgressBar from "react-bootstrap/ProgressBar";
import { send, useEngine } from "../data/engineStore";
import { useWorkspace } from "../data/workspace";
import { durationText } from "./format";

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
      <ProgressBar aria-label="Frames of the take" now={done} max={total} />
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
      <ProgressBar aria-label="Frames held" now={held} max={total} />
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
      <ProgressBar aria-label="Share of the measurement" now={Math.round(100 * trial.progress)} max={100} />
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
