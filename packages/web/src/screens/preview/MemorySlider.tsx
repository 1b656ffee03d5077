import {
  frameBytes,
  framesThatFit,
  keptFreeBytes,
  largestBudget,
  secondsHeld,
  smallestBudget,
} from "@kinetocache/core";
import { useState } from "react";
import Form from "react-bootstrap/Form";
import { useEngine } from "../../data/engineStore";
import { useMachine } from "../../data/server";
import { SMALLEST_BUDGET } from "../../data/settings";
import { useWorkspace } from "../../data/workspace";
import { bytesText, fractionText, framesText } from "../../parts/format";
import { NumberField } from "../../parts/NumberField";

const GIB = 2 ** 30;
const STEP = 64 * 2 ** 20;
// Without the server nothing is known of the machine; this much is offered then.
const UNKNOWN_MACHINE = 4 * GIB;

/** Gives the cache memory, saying while it is dragged what that holds. */
export function MemorySlider() {
  const { composition, document, settings, changeSettings, notify } = useWorkspace();
  const memory = useEngine((state) => state.status?.memory);
  const machine = useMachine();
  const [dragged, setDragged] = useState<number>();
  const budget = dragged ?? settings.memoryBudgetBytes;

  const bytes = frameBytes(composition, settings.fraction, document.depth);
  const frames = framesThatFit(budget, bytes);
  const figures = machine.error ? undefined : machine.data;
  const swaps =
    figures &&
    largestBudget(figures, (memory?.usedBytes ?? 0) + (memory?.workingBytes ?? 0), memory?.workingBytes ?? 0);
  const top = Math.max(
    figures ? figures.installedBytes - keptFreeBytes(figures.installedBytes) : UNKNOWN_MACHINE,
    settings.memoryBudgetBytes,
  );
  const least = smallestBudget(settings.window, bytes);
  const apply = (value: number) => {
    setDragged(undefined);
    const next = Math.round(Math.max(SMALLEST_BUDGET, Math.min(top, value)));
    if (next !== settings.memoryBudgetBytes) changeSettings({ memoryBudgetBytes: next });
  };

  return (
    <div className="control">
      <div className="control-head">
        <label htmlFor="memory-budget">Memory budget</label>
        <output className="mono" htmlFor="memory-budget">
          {framesText(framesThatFit(budget, bytes))} = {secondsHeld(frames, composition.rate).toFixed(1)} s
        </output>
      </div>
      <div className="control-row">
        <Form.Range
          id="memory-budget"
          className="tier-memory"
          min={STEP}
          max={Math.ceil(top / STEP) * STEP}
          step={STEP}
          value={budget}
          aria-valuetext={`${bytesText(budget)}, ${frames} frames`}
          onChange={(event) => setDragged(Number(event.target.value))}
          onPointerUp={() => dragged !== undefined && apply(dragged)}
          onKeyUp={() => dragged !== undefined && apply(dragged)}
          onBlur={() => dragged !== undefined && apply(dragged)}
        />
        <NumberField
          label="Memory budget in gigabytes"
          value={budget / GIB}
          decimals={2}
          min={SMALLEST_BUDGET / GIB}
          max={top / GIB}
          step={0.1}
          unit="GB"
          onChange={(value) => apply(value * GIB)}
          onRefused={(typed) => {
            if (typed * GIB < SMALLEST_BUDGET) apply(SMALLEST_BUDGET);
            else notify(`${typed} GB is more than there is: at most ${bytesText(top)}. Nothing changed.`);
          }}
        />
      </div>
      <p className="control-note">
        {bytesText(bytes)} a frame at {fractionText(settings.fraction)}, {document.depth}
        {figures ? (
          <>
            {" "}
            · {bytesText(figures.installedBytes)} installed, {bytesText(figures.availableBytes)} available
          </>
        ) : (
          " · the machine's memory is not known without the server"
        )}
      </p>
      {budget < least ? (
        <p className="control-warning">Less than the window around the playhead: {bytesText(least)} would hold it.</p>
      ) : null}
      {swaps !== undefined && budget > swaps ? (
        <p className="control-warning">More than {bytesText(swaps)}: the system would start to swap.</p>
      ) : null}
    </div>
  );
}
