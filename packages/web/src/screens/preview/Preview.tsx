import { useCallback, useState } from "react";
import Nav from "react-bootstrap/Nav";
import Tab from "react-bootstrap/Tab";
import { send } from "../../data/engineStore";
import { useWorkspace } from "../../data/workspace";
import { ShortcutsSheet, useShortcuts, type Shortcut } from "../../parts/shortcuts";
import { LayerPanel } from "./LayerPanel";
import { LayerRows } from "./LayerRows";
import { Terrain } from "./Terrain";
import { TradeOffs } from "./TradeOffs";
import { Transport } from "./Transport";
import { Verdict } from "./Verdict";
import { Viewer } from "./Viewer";

function usePreviewShortcuts(): readonly Shortcut[] {
  const { undo, redo } = useWorkspace();
  const step = (frames: number) => send({ kind: "step", frames });
  return [
    {
      keys: [" "],
      label: "Play or pause",
      run: () => send({ kind: "toggle" }),
    },
    { keys: ["J"], label: "Shuttle backwards; again is faster", run: () => send({ kind: "shuttle", direction: -1 }) },
    { keys: ["K"], label: "Pause", run: () => send({ kind: "pause" }) },
    { keys: ["L"], label: "Shuttle forwards; again is faster", run: () => send({ kind: "shuttle", direction: 1 }) },
    { keys: ["ArrowLeft"], label: "One frame back", run: () => step(-1) },
    { keys: ["ArrowRight"], label: "One frame on", run: () => step(1) },
    { keys: ["Home"], label: "To the in point", run: () => send({ kind: "seekEnd", end: "in" }) },
    { keys: ["End"], label: "To the out point", run: () => send({ kind: "seekEnd", end: "out" }) },
    { keys: ["I"], label: "Set the in point at the playhead", run: () => send({ kind: "setEnd", end: "in" }) },
    { keys: ["O"], label: "Set the out point after the playhead", run: () => send({ kind: "setEnd", end: "out" }) },
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
