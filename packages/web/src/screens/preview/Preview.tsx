import type { FrameRange } from "@kinetocache/core";
import { useCallback, useEffect, useRef, useState } from "react";
import Nav from "react-bootstrap/Nav";
import Tab from "react-bootstrap/Tab";
import { presentEngine, send, useEngine } from "../../data/engineStore";
import { useWorkspace } from "../../data/workspace";
import type { LayerChoices } from "../../engine/protocol/command";
import { toggled } from "./layerChoices";
import { canSplit, nesting, nextKeyframe } from "./layerTime";
import { ShortcutsSheet, useShortcuts, type Shortcut } from "../../parts/shortcuts";
import { BakePanel } from "./BakePanel";
import { CachePanel } from "./CachePanel";
import { LayerPanel } from "./LayerPanel";
import { LayerRows } from "./LayerRows";
import { MediaPanel } from "./MediaPanel";
import { Terrain } from "./Terrain";
import { TradeOffs, TradeOffSwitch } from "./TradeOffs";
import { TimelineScaleProvider } from "./timelineScale";
import { Transport } from "./Transport";
import { Verdict } from "./Verdict";
import { WastePanel } from "./WastePanel";
import { ComparisonBar } from "./VariantBar";
import { Viewer } from "./Viewer";
import "./Preview.css";

function usePreviewShortcuts(selected: string | undefined, also: readonly string[]): readonly Shortcut[] {
  const { undo, redo, edit, document, settings, chosen, layers, choose, changeSettings, composition } = useWorkspace();
  const range = useEngine((state) => state.status?.range);
  const toggle = (what: keyof LayerChoices) => {
    if (selected !== undefined) void choose({ [what]: toggled(layers[what], selected) });
  };
  const at = composition.layers.findIndex(({ id }) => id === selected);
  const moveBy = (places: number) => {
    const to = at + places;
    if (at >= 0 && to >= 0 && to < composition.layers.length) void edit({ kind: "layerMoved", layer: selected!, to });
  };
  const layer = composition.layers[at];
  const slide = (frames: number) => {
    if (layer) void edit({ kind: "layerSlid", layer: layer.id, in: layer.range.in + frames });
  };
  const trim = (range: Partial<FrameRange>) => {
    const to = { ...layer!.range, ...range };
    if (to.out > to.in) void edit({ kind: "layerRange", layer: layer!.id, range: to });
  };
  const toKeyframe = (direction: 1 | -1) => {
    const frame = layer && nextKeyframe(layer, presentEngine().playhead, direction);
    if (frame !== undefined && frame >= 0 && frame < composition.duration)
      send({ kind: "seek", frame, scrubbing: false });
  };
  const step = (frames: number) => send({ kind: "step", frames });
  return [
    {
      keys: ["space"],
      label: "Play or pause",
      run: () => send({ kind: "toggle" }),
    },
    { keys: ["j"], label: "Shuttle backwards; again is faster", run: () => send({ kind: "shuttle", direction: -1 }) },
    { keys: ["k"], label: "Pause", run: () => send({ kind: "pause" }) },
    { keys: ["l"], label: "Shuttle forwards; again is faster", run: () => send({ kind: "shuttle", direction: 1 }) },
    { keys: ["arrowleft"], label: "One frame back", run: () => step(-1) },
    { keys: ["arrowright"], label: "One frame on", run: () => step(1) },
    { keys: ["home"], label: "To the in point", run: () => send({ kind: "seekEnd", end: "in" }) },
    { keys: ["end"], label: "To the out point", run: () => send({ kind: "seekEnd", end: "out" }) },
    { keys: ["i"], label: "Set the in point at the playhead", run: () => send({ kind: "setEnd", end: "in" }) },
    { keys: ["o"], label: "Set the out point after the playhead", run: () => send({ kind: "setEnd", end: "out" }) },
    { keys: ["t"], label: "Measure a take", run: () => send({ kind: "measureTake" }) },
    {
      keys: ["q"],
      label: "Trade-offs off and on",
      run: () => changeSettings({ tradeOffs: !chosen.tradeOffs }),
    },
    {
      keys: ["f"],
      label: "Fill the in–out range now",
      run: () =>
        send({ kind: "fill", target: { kind: "frames", range: range ?? { in: 0, out: composition.duration } } }),
    },
    { keys: ["e"], label: "Loop on and off", run: () => changeSettings({ loop: !settings.loop }) },
    { keys: ["s"], label: "Solo the selected layer, or all again", run: () => toggle("solo") },
    { keys: ["m"], label: "Mark the selected layer for background rendering", run: () => toggle("marked") },
    { keys: ["p"], label: "Pin the selected layer", run: () => toggle("pinned") },
    { keys: ["x"], label: "Effects of the selected layer off and on", run: () => toggle("effectsOff") },
    {
      keys: ["v"],
      label: "The next variant",
      run: () => {
        const { variants, main } = document;
        const at = variants.findIndex(({ composition: id }) => id === main);
        const next = variants[(at + 1) % variants.length]!.composition;
        if (next !== main) void edit({ kind: "variantShown", variant: next });
      },
    },
    { keys: ["alt+arrowup"], label: "Raise the selected layer", run: () => moveBy(1) },
    { keys: ["alt+arrowdown"], label: "Lower the selected layer", run: () => moveBy(-1) },
    { keys: ["alt+arrowleft"], label: "Slide the selected layer a frame back", run: () => slide(-1) },
    { keys: ["alt+arrowright"], label: "Slide the selected layer a frame on", run: () => slide(1) },
    {
      keys: ["alt+home"],
      label: "Begin the selected layer at the playhead",
      run: () => layer && trim({ in: presentEngine().playhead }),
    },
    {
      keys: ["alt+end"],
      label: "End the selected layer after the playhead",
      run: () => layer && trim({ out: presentEngine().playhead + 1 }),
    },
    {
      keys: ["d"],
      label: "Split the selected layer at the playhead",
      run: () => {
        const frame = presentEngine().playhead;
        if (layer && canSplit(layer, frame)) void edit({ kind: "layerSplit", layer: layer.id, at: frame });
      },
    },
    {
      keys: ["n"],
      label: "Nest the selected layers",
      run: () => layer && void edit(nesting(layer, also)),
    },
    { keys: ["pageup"], label: "To the selected layer's keyframe before", run: () => toKeyframe(-1) },
    { keys: ["pagedown"], label: "To the selected layer's keyframe after", run: () => toKeyframe(1) },
    {
      keys: ["delete"],
      label: "Remove the selected layer",
      run: () => {
        if (at >= 0) void edit({ kind: "layerRemoved", layer: selected! });
      },
    },
    { keys: ["mod+z"], label: "Undo", run: () => void undo() },
    { keys: ["mod+shift+z", "mod+y"], label: "Redo", run: () => void redo() },
  ];
}

const TABS = [
  ["trade-offs", "Trade-offs"],
  ["cache", "Cache"],
  ["layer", "Layer"],
  ["media", "Media"],
  ["waste", "Waste"],
  ["bakes", "Bakes"],
] as const;

/** The screen that plays the composition. */
export function Preview() {
  const { composition } = useWorkspace();
  const [selected, setSelected] = useState<string>();
  const [also, setAlso] = useState<readonly string[]>([]);
  const [tab, setTab] = useState("trade-offs");
  const shortcuts = usePreviewShortcuts(selected, also);
  useShortcuts(shortcuts);
  const layer = composition.layers.find(({ id }) => id === selected);
  const latest = useRef({ selected, composition });
  useEffect(() => {
    const { composition: before } = latest.current;
    latest.current = { selected, composition };
    if (selected === undefined || composition === before || composition.id !== before.id) return;
    if (composition.layers.some(({ id }) => id === selected)) return;
    // What was nested, or taken apart, is selected as what it has become.
    const fresh = composition.layers.filter(({ id }) => !before.layers.some((one) => one.id === id));
    setSelected(fresh.at(-1)?.id);
    setAlso([]);
  }, [selected, composition]);
  const select = useCallback((id: string, extend: boolean) => {
    const { selected: before, composition: open } = latest.current;
    const { layers } = open;
    const [from, to] = [before, id].map((one) => layers.findIndex((layer) => layer.id === one)) as [number, number];
    setTab("layer");
    if (extend && from >= 0) {
      const all = layers.slice(Math.min(from, to), Math.max(from, to) + 1);
      setAlso(all.flatMap((layer) => (layer.id === before ? [] : [layer.id])));
      return;
    }
    setAlso([]);
    setSelected(before === id ? undefined : id);
  }, []);
  const bake = useCallback((id: string) => {
    setSelected(id);
    setTab("bakes");
  }, []);
  // The lanes show what is held of the layer that is selected.
  useEffect(() => send({ kind: "follow", layer: layer?.id }), [layer?.id]);
  return (
    <main className="preview">
      <div className="stage">
        <Verdict />
        <Viewer />
        <ComparisonBar />
        <Transport />
        <TimelineScaleProvider>
          <Terrain />
          <LayerRows selected={selected} also={also} onSelect={select} onBake={bake} />
        </TimelineScaleProvider>
      </div>
      <aside className="panel" aria-label="Preview settings">
        <TradeOffSwitch />
        <Tab.Container id="preview-panel" activeKey={tab} onSelect={(key) => setTab(key ?? "trade-offs")}>
          <Nav variant="underline">
            {TABS.map(([key, title]) => (
              <Nav.Item key={key}>
                <Nav.Link eventKey={key} as="button">
                  {title}
                </Nav.Link>
              </Nav.Item>
            ))}
          </Nav>
          <Tab.Content>
            <Tab.Pane eventKey="trade-offs" transition={false}>
              <TradeOffs />
            </Tab.Pane>
            <Tab.Pane eventKey="cache" transition={false}>
              <CachePanel selected={selected} />
            </Tab.Pane>
            <Tab.Pane eventKey="layer" transition={false}>
              <LayerPanel layer={layer} />
            </Tab.Pane>
            <Tab.Pane eventKey="media" transition={false}>
              <MediaPanel active={tab === "media"} onAdded={setSelected} />
            </Tab.Pane>
            <Tab.Pane eventKey="waste" transition={false}>
              <WastePanel active={tab === "waste"} />
            </Tab.Pane>
            <Tab.Pane eventKey="bakes" transition={false}>
              <BakePanel selected={selected} />
            </Tab.Pane>
          </Tab.Content>
        </Tab.Container>
      </aside>
      <ShortcutsSheet shortcuts={shortcuts} title="Preview" />
    </main>
  );
}
