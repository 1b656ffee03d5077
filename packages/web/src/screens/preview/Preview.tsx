import { clampFrame, type FrameRange } from "@kinetocache/core";
import { useCallback, useState } from "react";
import Nav from "react-bootstrap/Nav";
import Tab from "react-bootstrap/Tab";
import { engineNow, send } from "../../data/engineStore";
import { useWorkspace } from "../../data/workspace";
import { ShortcutsSheet, useShortcuts, type Shortcut } from "../../parts/shortcuts";
import { LayerPanel } from "./LayerPanel";
import { LayerRows } from "./LayerRows";
import { Terrain } from "./Terrain";
import { TradeOffs } from "./TradeOffs";
import { Transport } from "./Transport";
import { Verdict } from "./Verdict";
import { Viewer } from "./Viewer";

const FASTEST = 8;

/** Keys are looked up when they are pressed: following the playhead here would draw the screen anew on every frame. */
function usePreviewShortcuts(): readonly Shortcut[] {
  const { composition, undo, redo } = useWorkspace();
  const whole = { in: 0, out: composition.duration };
  const range = () => engineNow().status?.range ?? whole;
  const speed = () => {
    const { status } = engineNow();
    return status?.mode === "playing" ? status.speed : 0;
  };
  const seek = (frame: number) => send({ kind: "seek", frame: clampFrame(frame, whole), scrubbing: false });
  const setRange = (next: FrameRange) => send({ kind: "range", range: next });
  const shuttle = (direction: 1 | -1) => {
    const faster = Math.sign(speed()) === direction ? Math.min(FASTEST, Math.abs(speed()) * 2) : 1;
    send({ kind: "play", speed: direction * faster });
  };
  const step = (frames: number) => send({ kind: "step", frames });
  const setIn = () => {
    const { playhead } = engineNow();
    setRange({ in: playhead, out: Math.max(range().out, playhead + 1) });
  };
  const setOut = () => {
    const { playhead } = engineNow();
    setRange({ in: Math.min(range().in, playhead), out: playhead + 1 });
  };
  return [
    {
      keys: [" "],
      label: "Play or pause",
      run: () => send(speed() === 0 ? { kind: "play", speed: 1 } : { kind: "pause" }),
    },
    { keys: ["J"], label: "Shuttle backwards; again is faster", run: () => shuttle(-1) },
    { keys: ["K"], label: "Pause", run: () => send({ kind: "pause" }) },
    { keys: ["L"], label: "Shuttle forwards; again is faster", run: () => shuttle(1) },
    { keys: ["ArrowLeft"], label: "One frame back", run: () => step(-1) },
    { keys: ["ArrowRight"], label: "One frame on", run: () => step(1) },
    { keys: ["Home"], label: "To the in point", run: () => seek(range().in) },
    { keys: ["End"], label: "To the out point", run: () => seek(range().out - 1) },
    { keys: ["I"], label: "Set the in point at the playhead", run: setIn },
    { keys: ["O"], label: "Set the out point after the playhead", run: setOut },
    { keys: ["T"], label: "Measure a take", run: () => send({ kind: "measureTake" }) },
    { keys: ["Ctrl+Z"], label: "Undo", run: () => void undo() },
    { keys: ["Ctrl+Shift+Z", "Ctrl+Y"], label: "Redo", run: () => void redo() },
  ];
}

/** The screen that plays the composition. */
export function Preview() {
  const { composition } = useWorkspace();
  const [selected, setSelected] = useState<string>();
  const [tab, setTab] = useState("trade-offs");
  const shortcuts = usePreviewShortcuts();
  useShortcuts(shortcuts);
  const layer = composition.layers.find(({ id }) => id === selected);
  const select = useCallback((id: string) => {
    setSelected(id);
    setTab("layer");
  }, []);
  return (
    <main className="preview">
      <div className="stage">
        <Verdict />
        <Viewer />
        <Transport />
        <Terrain />
        <LayerRows selected={selected} onSelect={select} />
      </div>
      <aside className="panel" aria-label="Preview settings">
        <Tab.Container activeKey={tab} onSelect={(key) => setTab(key ?? "trade-offs")}>
          <Nav variant="underline">
            <Nav.Item>
              <Nav.Link eventKey="trade-offs" as="button">
                Trade-offs
              </Nav.Link>
            </Nav.Item>
            <Nav.Item>
              <Nav.Link eventKey="layer" as="button">
                {layer ? layer.name : "Layer"}
              </Nav.Link>
            </Nav.Item>
          </Nav>
          <Tab.Content>
            <Tab.Pane eventKey="trade-offs" transition={false}>
              <TradeOffs />
            </Tab.Pane>
            <Tab.Pane eventKey="layer" transition={false}>
              <LayerPanel layer={layer} />
            </Tab.Pane>
          </Tab.Content>
        </Tab.Container>
      </aside>
      <ShortcutsSheet shortcuts={shortcuts} title="Preview" />
    </main>
  );
}
