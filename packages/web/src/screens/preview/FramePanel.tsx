import { useEffect } from "react";
import { send, useEngine } from "../../data/engineStore";
import { useWorkspace } from "../../data/workspace";
import { msText } from "../../parts/format";
import { evictionText, heldText, layerText } from "./frameWords";
import "./FramePanel.css";

/** Why the frame under the playhead is held or not, and when it would go. */
export function FramePanel() {
  const { composition } = useWorkspace();
  const playhead = useEngine((state) => state.playhead);
  const memory = useEngine((state) => state.status?.memory);
  const explanation = useEngine((state) => state.explanation);
  useEffect(() => send({ kind: "explain", frame: playhead }), [playhead, memory]);
  if (explanation?.frame !== playhead) return <p className="control-note">Looking at frame {playhead}…</p>;
  const names = new Map(composition.layers.map(({ id, name }) => [id, name]));
  const layers = explanation.layers.filter(({ costMs, standing, baked }) => costMs > 0 || standing || baked);
  return (
    <section className="frame-panel" aria-label={`Frame ${playhead}`}>
      <h3>
        Frame {playhead}: {heldText(explanation)}
      </h3>
      <p>
        {explanation.costMs > 0
          ? `${msText(explanation.costMs)} to render${explanation.measured ? "" : " (est.)"}. `
          : ""}
        {evictionText(explanation)}
      </p>
      <ul className="frame-layers">
        {layers.map((layer) => (
          <li key={layer.layer}>
            <span>{names.get(layer.layer) ?? layer.layer}</span>
            <span className="mono">{layer.costMs > 0 ? `${msText(layer.costMs)} est.` : "still"}</span>
            <small>{layerText(layer)}</small>
          </li>
        ))}
      </ul>
    </section>
  );
}
