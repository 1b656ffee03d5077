import { Gauge, MoveHorizontal, Pause, Play, Redo2, Repeat, Undo2 } from "lucide-react";
import Button from "react-bootstrap/Button";
import { send, useEngine } from "../../data/engineStore";
import { useWorkspace } from "../../data/workspace";
import "./Transport.css";

/** Play, measure, undo; the in–out range; what the lanes mean. */
export function Transport() {
  const { composition, settings, changeSettings, canUndo, canRedo, undo, redo } = useWorkspace();
  const playing = useEngine((state) => state.status?.mode === "playing");
  const measuringTake = useEngine((state) => state.status?.measuringTake);
  const range = useEngine((state) => state.status?.range) ?? { in: 0, out: composition.duration };
  const partial = range.in > 0 || range.out < composition.duration;
  return (
    <div className="transport">
      <Button
        variant="dark"
        className="transport-play"
        onClick={() => send(playing ? { kind: "pause" } : { kind: "play", speed: 1 })}
      >
        {playing ? <Pause size="0.9375rem" aria-hidden="true" /> : <Play size="0.9375rem" aria-hidden="true" />}{" "}
        {playing ? "Pause" : "Play"}
      </Button>
      <Button variant="outline-dark" disabled={measuringTake} onClick={() => send({ kind: "measureTake" })}>
        <Gauge size="0.9375rem" aria-hidden="true" /> Measure a take
      </Button>
      <Button
        variant="outline-dark"
        className="icon-button"
        active={settings.loop}
        aria-pressed={settings.loop}
        aria-label="Loop"
        title="Loop"
        onClick={() => changeSettings({ loop: !settings.loop })}
      >
        <Repeat size="0.9375rem" aria-hidden="true" />
      </Button>
      <Button
        variant="outline-dark"
        className="icon-button"
        disabled={!canUndo}
        aria-label="Undo"
        title="Undo"
        onClick={() => void undo()}
      >
        <Undo2 size="0.9375rem" aria-hidden="true" />
      </Button>
      <Button
        variant="outline-dark"
        className="icon-button"
        disabled={!canRedo}
        aria-label="Redo"
        title="Redo"
        onClick={() => void redo()}
      >
        <Redo2 size="0.9375rem" aria-hidden="true" />
      </Button>
      <span className="mono range-text">
        in {range.in} – out {range.out - 1}
      </span>
      <Button
        variant="outline-dark"
        className="icon-button"
        disabled={!partial}
        aria-label="Whole length"
        title="Whole length"
        onClick={() => send({ kind: "range", range: { in: 0, out: composition.duration } })}
      >
        <MoveHorizontal size="0.9375rem" aria-hidden="true" />
      </Button>
      <ul className="legend" aria-label="Legend">
        <li>
          <span className="swatch swatch-memory" /> in memory
        </li>
        <li>
          <span className="swatch swatch-disk" /> on disk
        </li>
        <li>
          <span className="swatch swatch-over" /> over budget
        </li>
        <li>
          <span className="swatch swatch-estimate" /> estimate
        </li>
      </ul>
    </div>
  );
}
