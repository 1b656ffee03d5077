import { DEPTHS, frameBytes, framesThatFit, type Depth } from "@kinetocache/core";
import { useState } from "react";
import Button from "react-bootstrap/Button";
import Form from "react-bootstrap/Form";
import { send, useEngine } from "../../data/engineStore";
import { useWorkspace } from "../../data/workspace";
import { BACKGROUNDS } from "../../engine/protocol/command";
import { Amount } from "../../parts/Amount";
import { Choice } from "../../parts/Choice";
import { bytesText, framesText, groupedText, msText } from "../../parts/format";
import { FramePanel } from "./FramePanel";
import { MemorySlider } from "./MemorySlider";

const FILLS = {
  Off: "never",
  Idle: "what is next",
  Marked: "marked layers",
} as const;

/** Fills a stretch or a layer now, while work goes on. */
function FillNow({ selected }: { readonly selected: string | undefined }) {
  const { composition, settings } = useWorkspace();
  const range = useEngine((state) => state.status?.range);
  const whole = { in: 0, out: composition.duration };
  const layer = composition.layers.find(({ id }) => id === selected);
  const isPartial = range && (range.in > 0 || range.out < whole.out);
  const fill = (target: Parameters<typeof send>[0] & { kind: "fill" }) => send(target);
  return (
    <div className="control">
      <div className="control-head">
        <span>Fill now</span>
        <span className="mono">while you go on working</span>
      </div>
      <div className="button-row">
        <Button
          size="sm"
          variant="outline-dark"
          disabled={!range || !isPartial}
          onClick={() => range && fill({ kind: "fill", target: { kind: "frames", range } })}
        >
          In–out range
        </Button>
        <Button
          size="sm"
          variant="outline-dark"
          onClick={() => fill({ kind: "fill", target: { kind: "frames", range: whole } })}
        >
          Everything
        </Button>
        <Button
          size="sm"
          variant="outline-dark"
          disabled={!layer || settings.effectsOn !== "processor"}
          title={layer ? undefined : "Choose a layer in the list first"}
          onClick={() =>
            layer && fill({ kind: "fill", target: { kind: "layer", layer: layer.id, range: range ?? whole } })
          }
        >
          {layer ? layer.name : "Layer"}
        </Button>
      </div>
      {settings.effectsOn === "processor" ? null : (
        <p className="control-note">Single layers are cached only when the processor renders.</p>
      )}
    </div>
  );
}

/** What was rendered, and how fast the engine answers. */
function ResponseNote() {
  const rendered = useEngine((state) => state.status?.rendered) ?? 0;
  const responses = useEngine((state) => state.status?.responses);
  const { gaveWayMs, seekMs, edit } = responses ?? {};
  return (
    <p className="control-note response-note">
      {framesText(rendered)} rendered since the page was opened.
      {gaveWayMs === undefined ? "" : ` Filling last gave way in ${msText(gaveWayMs)}.`}
      {seekMs === undefined ? "" : ` The last seek to a held frame took ${msText(seekMs)}.`}
      {edit === undefined
        ? ""
        : ` The last edit was on show after ${msText(edit.ms)}, ${msText(edit.renderMs)} of it rendering.`}
    </p>
  );
}

/** Memory, what fills it and what is in it. */
export function CachePanel({ selected }: { readonly selected: string | undefined }) {
  const { composition, document, settings, changeSettings, edit, layers } = useWorkspace();
  const memory = useEngine((state) => state.status?.memory);
  const [showsMore, setShowsMore] = useState(false);
  const cores = navigator.hardwareConcurrency;
  const bytesAt = (depth: Depth) => frameBytes(composition, settings.fraction, depth);
  const fit = framesThatFit(settings.memoryBudgetBytes, bytesAt(document.depth));
  return (
    <div className="panel-body">
      <MemorySlider />
      {memory && memory.branches > 0 ? (
        <p className="control-note">
          In it: {framesText(memory.frames)}, and cached layer images {groupedText(memory.branches)} times (
          {bytesText(memory.branchBytes)}), which make way for frames.
        </p>
      ) : null}
      <Choice<Depth>
        name="depth"
        label="Working depth"
        note={`${framesText(fit)} fit`}
        value={document.depth}
        options={DEPTHS.map((value) => ({ value, label: value, below: bytesText(bytesAt(value)) }))}
        onChange={(depth) => void edit({ kind: "depth", depth })}
      />
      <Choice
        name="background"
        label="Background rendering"
        note={
          settings.background === "Off"
            ? "never"
            : `after ${settings.idleDelayMs / 1000} s idle${settings.background === "Marked" ? `, ${layers.marked.length} marked` : ""}`
        }
        value={settings.background}
        options={BACKGROUNDS.map((value) => ({ value, label: value, below: FILLS[value] }))}
        onChange={(background) => changeSettings({ background })}
      />
      <div className="amounts">
        <Amount
          id="idle-delay"
          label="Idle delay"
          unit="s"
          value={settings.idleDelayMs / 1000}
          min={0}
          max={60}
          step={0.5}
          onChange={(value) => changeSettings({ idleDelayMs: value * 1000 })}
        />
        <Amount
          id="parallel"
          label="In parallel"
          unit={`of ${cores}`}
          value={settings.parallel}
          min={1}
          max={cores}
          onChange={(value) => changeSettings({ parallel: Math.round(value) })}
        />
        <Amount
          id="window-before"
          label="Behind"
          unit="fr"
          value={settings.window.before}
          min={0}
          max={10000}
          onChange={(value) => changeSettings({ window: { ...settings.window, before: Math.round(value) } })}
        />
        <Amount
          id="window-after"
          label="Ahead"
          unit="fr"
          value={settings.window.after}
          min={1}
          max={10000}
          onChange={(value) => changeSettings({ window: { ...settings.window, after: Math.round(value) } })}
        />
      </div>
      <FillNow selected={selected} />
      <Form.Check
        type="switch"
        id="pause-filling"
        label="Pause filling while playing"
        checked={settings.pauseFillingWhilePlaying}
        onChange={(event) => changeSettings({ pauseFillingWhilePlaying: event.target.checked })}
      />
      <ResponseNote />
      <div className="control">
        <Button
          variant="outline-dark"
          size="sm"
          aria-expanded={showsMore}
          onClick={() => setShowsMore((before) => !before)}
        >
          Why is this frame held or not?
        </Button>
      </div>
      {showsMore ? <FramePanel /> : null}
    </div>
  );
}
