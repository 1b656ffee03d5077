import { DEPTHS, EFFECT_MODES, FRACTIONS, scaledSize, type Depth, type EffectMode } from "@kinetocache/core";
import Form from "react-bootstrap/Form";
import ToggleButton from "react-bootstrap/ToggleButton";
import ToggleButtonGroup from "react-bootstrap/ToggleButtonGroup";
import { useWorkspace } from "../../data/workspace";
import { Amount } from "../../parts/Amount";
import { fractionText } from "../../parts/format";
import { MemorySlider } from "./MemorySlider";

interface ChoiceProps<T extends string | number> {
  readonly name: string;
  readonly label: string;
  readonly note: string;
  readonly value: T;
  readonly options: readonly { readonly value: T; readonly label: string }[];
  readonly onChange: (value: T) => void;
}

/** A row of alternatives with what the present one means. */
function Choice<T extends string | number>({ name, label, note, value, options, onChange }: ChoiceProps<T>) {
  return (
    <div className="control">
      <div className="control-head">
        <span id={`${name}-label`}>{label}</span>
        <span className="mono">{note}</span>
      </div>
      <ToggleButtonGroup
        type="radio"
        name={name}
        value={value}
        onChange={onChange}
        aria-labelledby={`${name}-label`}
        className="choice"
      >
        {options.map((option) => (
          <ToggleButton
            key={option.value}
            id={`${name}-${option.value}`}
            value={option.value}
            variant="outline-dark"
            size="sm"
          >
            {option.label}
          </ToggleButton>
        ))}
      </ToggleButtonGroup>
    </div>
  );
}

const PIXELS: Readonly<Record<string, string>> = {
  "1": "all pixels",
  "2": "a quarter of the pixels",
  "3": "a ninth of the pixels",
  "4": "a sixteenth of the pixels",
};

/** Gives up quality for speed, for the preview alone. */
export function TradeOffs() {
  const { composition, document, settings, changeSettings, edit } = useWorkspace();
  const { fraction } = settings;
  const size = `${scaledSize(composition.width, fraction)}×${scaledSize(composition.height, fraction)}, ${PIXELS[String(Math.round(1 / fraction))]}`;
  const cores = navigator.hardwareConcurrency;
  return (
    <div className="panel-body">
      <Choice
        name="size"
        label="Preview size"
        note={size}
        value={FRACTIONS.indexOf(fraction as (typeof FRACTIONS)[number])}
        options={FRACTIONS.map((value, index) => ({ value: index, label: fractionText(value) }))}
        onChange={(index) => changeSettings({ fraction: FRACTIONS[index]! })}
      />
      <Choice<EffectMode>
        name="effects"
        label="Effects"
        note={
          settings.effects === "All"
            ? "as in the output"
            : settings.effects === "None"
              ? "all left out"
              : "grade and grain"
        }
        value={settings.effects}
        options={EFFECT_MODES.map((value) => ({ value, label: value }))}
        onChange={(effects) => changeSettings({ effects })}
      />
      <MemorySlider />
      <Choice<Depth>
        name="depth"
        label="Depth of cached frames"
        note={
          document.depth === "8-bit"
            ? "4 bytes a pixel"
            : document.depth === "half"
              ? "8 bytes a pixel"
              : "16 bytes a pixel"
        }
        value={document.depth}
        options={DEPTHS.map((value) => ({ value, label: value }))}
        onChange={(depth) => void edit({ kind: "depth", depth })}
      />
      <Choice
        name="background"
        label="Background rendering"
        note={settings.background === "Idle" ? `after ${settings.idleDelayMs / 1000} s idle` : "never"}
        value={settings.background}
        options={[
          { value: "Off", label: "Off" },
          { value: "Idle", label: "Idle" },
        ]}
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
      <Choice
        name="pacing"
        label="A frame that is not ready"
        note={settings.pacing === "keep time" ? "is skipped" : "is waited for"}
        value={settings.pacing}
        options={[
          { value: "keep time" as const, label: "Keep time" },
          { value: "show every frame" as const, label: "Show every frame" },
        ]}
        onChange={(pacing) => changeSettings({ pacing })}
      />
      <Form.Check
        type="switch"
        id="sharpen"
        label="Sharpen when parked"
        checked={settings.sharpenWhenParked}
        onChange={(event) => changeSettings({ sharpenWhenParked: event.target.checked })}
      />
    </div>
  );
}
