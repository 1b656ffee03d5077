import { Pause, Play, Square } from "lucide-react";
import Button from "react-bootstrap/Button";
import ProgressBar from "react-bootstrap/ProgressBar";
import { send, useEngine } from "../data/engineStore";
import { useWorkspace } from "../data/workspace";
import { durationText } from "./format";

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
          <ProgressBar now={playhead - range.in + 1} max={range.out - range.in} label="" aria-label="Take" />
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
          <ProgressBar now={filling.held} max={filling.total} aria-label="Frames held" />
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
