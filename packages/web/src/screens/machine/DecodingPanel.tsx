import type { DecodeDevice } from "@kinetocache/core";
import { useState } from "react";
import Button from "react-bootstrap/Button";
import Form from "react-bootstrap/Form";
import Table from "react-bootstrap/Table";
import { useHardwareCodecs } from "../../data/graphics";
import { measureDecoding, useTrial } from "../../data/trials";
import { useWorkspace } from "../../data/workspace";
import { largestClip, type DecodeResult } from "../../engine/media/decoding";
import { agoText, rateText } from "../../parts/format";

const NAMES: Readonly<Record<DecodeDevice, string>> = { processor: "Processor", graphics: "Graphics device" };

function verdictOf(results: readonly DecodeResult[], composition: string): string {
  const rate = (on: DecodeDevice) => {
    const result = results.find((one) => one.on === on);
    return result && "rate" in result ? result.rate : undefined;
  };
  const [processor, graphics] = [rate("processor"), rate("graphics")];
  if (processor === undefined && graphics === undefined) return `Nothing here can decode the clip of ${composition}.`;
  if (graphics === undefined)
    return `The processor decodes the clip of ${composition} at ${rateText(processor!)} frames a second; no graphics device does.`;
  if (processor === undefined)
    return `Only the graphics device decodes the clip of ${composition}, at ${rateText(graphics)} frames a second.`;
  const [first, second] = graphics > processor ? [graphics, processor] : [processor, graphics];
  const best = graphics > processor ? "The graphics device" : "The processor";
  return `${best} decodes the clip of ${composition} faster: ${rateText(first)} frames a second against ${rateText(second)}.`;
}

/** What decodes clips: not always the device that should render effects. */
export function DecodingPanel() {
  const { composition, document, settings, changeSettings, notify } = useWorkspace();
  const codecs = useHardwareCodecs();
  const trial = useTrial("decodingTrial");
  const [isMeasuring, setMeasuring] = useState(false);
  const clip = largestClip(document.assets);
  const measure = () => {
    setMeasuring(true);
    measureDecoding({ id: document.id, name: composition.name }, clip!)
      .catch((error: Error) => notify(`Decoding could not be measured: ${error.message}`))
      .finally(() => setMeasuring(false));
  };
  const notes: Readonly<Record<DecodeDevice, string>> = {
    processor: "",
    graphics: codecs === undefined ? "being asked…" : codecs.length === 0 ? "decodes nothing here" : codecs.join(", "),
  };
  return (
    <>
      <h3>
        Decoding <small>what reads clips</small>
      </h3>
      {trial ? (
        <p>
          <strong>{verdictOf(trial.results, trial.of.name)}</strong> <small>{agoText(trial.atMs, Date.now())}</small>
        </p>
      ) : (
        <p className="empty">
          {clip ? "Not measured yet." : `${composition.name} has no clips; open one that has to measure this.`}
        </p>
      )}
      <Table size="sm" className="devices">
        <thead>
          <tr>
            <th scope="col">Clips decoded by</th>
            <th scope="col" className="number">
              Decodes
            </th>
          </tr>
        </thead>
        <tbody>
          {(["processor", "graphics"] as const).map((on) => {
            const result = trial?.results.find((one) => one.on === on);
            return (
              <tr key={on}>
                <td>
                  <Form.Check
                    type="radio"
                    name="decoding-on"
                    id={`decoding-on-${on}`}
                    label={
                      <>
                        {NAMES[on]} <small>{notes[on]}</small>
                      </>
                    }
                    disabled={on === "graphics" && codecs?.length === 0 && settings.decodingOn !== on}
                    checked={settings.decodingOn === on}
                    onChange={() => changeSettings({ decodingOn: on })}
                  />
                </td>
                <td className="number">
                  {result === undefined ? (
                    <span className="why">–</span>
                  ) : "rate" in result ? (
                    `${rateText(result.rate)} fps`
                  ) : (
                    <span className="why">{result.failure}</span>
                  )}
                </td>
              </tr>
            );
          })}
        </tbody>
      </Table>
      <div className="sheet-row what-if-save">
        <Button size="sm" variant="dark" disabled={isMeasuring || !clip} onClick={measure}>
          Measure decoding
        </Button>
      </div>
    </>
  );
}
