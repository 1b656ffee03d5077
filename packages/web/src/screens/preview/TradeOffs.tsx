import { EFFECT_MODES, FRACTIONS, scaledSize, type EffectMode } from "@kinetocache/core";
import Button from "react-bootstrap/Button";
import Form from "react-bootstrap/Form";
import { useWorkspace } from "../../data/workspace";
import { inForce, tradeOffsInForce } from "../../engine/tradeOffs";
import { Choice } from "../../parts/Choice";
import { fractionText, msText } from "../../parts/format";
import { useSavings } from "./savings";
import { inForceText, meanText, pacingText, savedText } from "./savingWords";

const PIXELS: Readonly<Record<string, string>> = {
  "1": "all pixels",
  "2": "a quarter of the pixels",
  "3": "a ninth of the pixels",
  "4": "a sixteenth of the pixels",
};

const sizeIndex = (fraction: number) => FRACTIONS.indexOf(fraction as (typeof FRACTIONS)[number]);

/** Switches everything that gives up quality off and on again, and says what is in force. Always in view. */
export function TradeOffSwitch() {
  const { chosen, layers, changeSettings } = useWorkspace();
  const active = tradeOffsInForce(chosen, layers);
  const acting = chosen.tradeOffs ? inForce(chosen) : chosen;
  return (
    <div className={`trade-off-switch ${active.length > 0 ? "is-in-force" : ""}`}>
      <Form.Check
        type="switch"
        id="trade-offs-in-force"
        label="Trade-offs"
        checked={chosen.tradeOffs}
        onChange={(event) => changeSettings({ tradeOffs: event.target.checked })}
      />
      <span>{inForceText(active, acting, layers.solo.length, layers.effectsOff.length)}</span>
    </div>
  );
}

/** Gives up quality for speed, for the preview alone: each choice with what a frame takes then. */
export function TradeOffs() {
  const { composition, chosen, layers, changeSettings, choose } = useWorkspace();
  const savings = useSavings();
  const isOff = !chosen.tradeOffs;
  const { fraction, scrubFraction } = inForce({ ...chosen, tradeOffs: true });
  const size = `${scaledSize(composition.width, fraction)}×${scaledSize(composition.height, fraction)}, ${PIXELS[String(Math.round(1 / fraction))]}`;
  const meanMs = savings?.presentMs ?? 0;
  const pacing = {
    meanMs,
    parallel: chosen.parallel,
    cores: navigator.hardwareConcurrency,
    rate: composition.rate,
  };
  const names = new Map(composition.layers.map(({ id, name }) => [id, name]));
  return (
    <div className="panel-body">
      <p className="control-note">
        {isOff ? "Switched off: the preview is what the output is. " : ""}
        Below each choice is what an average frame of the range takes then, by estimate.
      </p>
      <Choice
        name="size"
        label="Preview size"
        note={size}
        value={sizeIndex(fraction)}
        options={FRACTIONS.map((value, index) => ({
          value: index,
          label: fractionText(value),
          below: meanText(savings?.bySize[index]),
        }))}
        onChange={(index) => changeSettings({ fraction: FRACTIONS[index]! })}
      />
      <Choice
        name="scrub-size"
        label="Size while scrubbing"
        note={scrubFraction === fraction ? "as the preview" : `then ${fractionText(fraction)} where you rest`}
        value={sizeIndex(scrubFraction)}
        options={FRACTIONS.map((value, index) => ({
          value: index,
          label: fractionText(value),
          below: meanText(savings?.bySize[index]),
        }))}
        onChange={(index) =>
          changeSettings({
            scrubFraction: FRACTIONS[index]!,
            ...(FRACTIONS[index]! > fraction ? { fraction: FRACTIONS[index]! } : {}),
          })
        }
      />
      <Choice<EffectMode>
        name="effects"
        label="Effects"
        note={
          chosen.effects === "All" ? "as in the output" : chosen.effects === "None" ? "all left out" : "grade and grain"
        }
        value={chosen.effects}
        options={EFFECT_MODES.map((value) => ({ value, label: value, below: meanText(savings?.byEffects[value]) }))}
        onChange={(effects) => changeSettings({ effects })}
      />
      <div className="control">
        <Form.Check
          type="switch"
          id="motion-blur"
          label="Motion blur"
          checked={chosen.motionBlur}
          onChange={(event) => changeSettings({ motionBlur: event.target.checked })}
        />
        <p className="control-note">
          Without: {savedText(savings?.withMotionBlur, savings?.withoutMotionBlur)}
          {composition.layers.some(({ motionBlur }) => motionBlur.enabled) ? "" : "; no layer has it"}
        </p>
      </div>
      <Choice
        name="pacing"
        label="When a frame is not ready"
        note={pacingText(chosen.pacing, pacing)}
        value={chosen.pacing}
        options={[
          { value: "keep time" as const, label: "Keep time" },
          { value: "show every frame" as const, label: "Show every frame" },
        ]}
        onChange={(value) => changeSettings({ pacing: value })}
      />
      <div className="control">
        <Form.Check
          type="switch"
          id="sharpen"
          label="Sharpen when parked"
          checked={chosen.sharpenWhenParked}
          onChange={(event) => changeSettings({ sharpenWhenParked: event.target.checked })}
        />
        <p className="control-note">
          {savings && savings.bySize[0]! > 0
            ? `A full-size frame takes ${msText(savings.bySize[0]!)} (est.); it is never in the way of playback.`
            : "Shows the parked frame at full size."}
        </p>
      </div>
      {(["solo", "effectsOff"] as const).map((what) =>
        layers[what].length === 0 ? null : (
          <div className="control" key={what}>
            <div className="control-head">
              <span>{what === "solo" ? "Solo" : "Effects off"}</span>
              <Button variant="link" size="sm" className="p-0" onClick={() => void choose({ [what]: [] })}>
                {what === "solo" ? "Show all layers" : "All effects on"}
              </Button>
            </div>
            <p className="control-note">{layers[what].map((id) => names.get(id) ?? id).join(", ")}</p>
          </div>
        ),
      )}
    </div>
  );
}
