import type { GraphicsResult, Hardware, NodeKind } from "@kinetocache/core";
import Button from "react-bootstrap/Button";
import Form from "react-bootstrap/Form";
import Table from "react-bootstrap/Table";
import { send, useEngine } from "../../data/engineStore";
import { useAdapters } from "../../data/graphics";
import { useTrial, type GraphicsTrial } from "../../data/trials";
import { useWorkspace } from "../../data/workspace";
import { agoText, bytesText, fractionText, framesText, msText, rateText } from "../../parts/format";
import { DecodingPanel } from "./DecodingPanel";
import { deviceRows, kindText, verdictText, workKinds, type DeviceRow } from "./graphicsWords";

function resultOf(results: readonly GraphicsResult[] | undefined, { device }: DeviceRow): GraphicsResult | undefined {
  return results?.find((result) => result.device === device);
}

function Rate({ result }: { readonly result: GraphicsResult | undefined }) {
  if (!result) return <span className="why">–</span>;
  if ("failure" in result) return <span className="why">failed</span>;
  return (
    <>
      {rateText(result.rate)} fps <small>in {framesText(result.frames)}</small>
    </>
  );
}

function Difference({ result }: { readonly result: GraphicsResult | undefined }) {
  if (result?.device === "processor") return <span className="why">reference</span>;
  if (!result || !("difference" in result) || result.difference === undefined) return <span className="why">–</span>;
  return <>{result.difference} of 255</>;
}

function nodeMs(result: GraphicsResult | undefined, kind: NodeKind): string {
  if (!result || !("nodes" in result)) return "–";
  const node = result.nodes.find((one) => one.kind === kind);
  return node ? msText(node.ms) : "–";
}

/** Mean time a frame of each kind of work on each device. */
function WorkTable({ trial, rows }: { readonly trial: GraphicsTrial; readonly rows: readonly DeviceRow[] }) {
  const shown = rows.filter((row) => resultOf(trial.results, row));
  return (
    <details>
      <summary>By effect, in a frame</summary>
      <Table size="sm">
        <thead>
          <tr>
            <th scope="col">Work</th>
            {shown.map((row) => {
              const result = resultOf(trial.results, row);
              const isShared = result && "nodesTimed" in result && !result.nodesTimed;
              return (
                <th key={row.device} scope="col" className="number">
                  {row.name} {isShared ? <small>est.</small> : null}
                </th>
              );
            })}
          </tr>
        </thead>
        <tbody>
          {workKinds(trial.results).map((kind) => (
            <tr key={kind}>
              <th scope="row">{kindText(kind)}</th>
              {shown.map((row) => (
                <td key={row.device} className="number">
                  {nodeMs(resultOf(trial.results, row), kind)}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </Table>
    </details>
  );
}

/** The devices that can render effects, what each is worth on the open composition, and which one does. */
export function GraphicsPanel({ hardware }: { readonly hardware: Hardware | undefined }) {
  const { composition, settings, changeSettings } = useWorkspace();
  const { adapters, failure } = useAdapters();
  const trial = useTrial("graphicsTrial");
  const fault = useEngine((state) => state.status?.graphicsFault);
  const isMeasuring = useEngine((state) => state.status?.trial !== undefined);
  const rows = deviceRows(adapters ?? []);
  const results = trial?.results;
  const { effectsOn } = settings;
  const isMissing = adapters !== undefined && !rows.some(({ choices }) => choices.includes(effectsOn));
  const verdict = trial && verdictText(trial.results, rows, trial.of.name);
  const inUse = rows.find(({ choices }) => choices.includes(effectsOn));
  const best = verdict?.best;
  const bestRow = best && rows.find(({ choices }) => choices.includes(best));
  const better = bestRow === inUse ? undefined : bestRow;
  return (
    <section className="sheet" aria-label="Graphics devices">
      <h2>
        Graphics <small>what renders effects, and what reads clips</small>
      </h2>
      {fault !== undefined ? (
        <p className="control-warning">
          {fault}. The processor renders instead.{" "}
          <Button size="sm" variant="outline-dark" onClick={() => send({ kind: "retryGraphics" })}>
            Try the device again
          </Button>
        </p>
      ) : isMissing ? (
        <p className="control-warning">
          The graphics device that was chosen is not there now. Frames are rendered by the processor.
        </p>
      ) : null}
      {failure ? <p className="control-warning">Graphics devices could not be looked up: {failure.message}</p> : null}
      {verdict ? (
        <p>
          <strong>{verdict.sentence}</strong>{" "}
          <small>
            {agoText(trial.atMs, Date.now())}, at {fractionText(trial.fraction)}, {trial.parallel} in parallel
          </small>
        </p>
      ) : adapters?.length === 0 ? (
        <p className="empty">The browser offers no graphics device here: the processor renders.</p>
      ) : (
        <p className="empty">
          Not measured yet. It takes a few seconds per device, and stops as soon as you do anything.
        </p>
      )}
      <Table size="sm" className="devices">
        <thead>
          <tr>
            <th scope="col">Effects on</th>
            <th scope="col" className="number">
              Renders
            </th>
            <th scope="col" className="number">
              Pixels differ by
            </th>
          </tr>
        </thead>
        <tbody>
          {rows.map((row) => {
            const result = resultOf(results, row);
            return (
              <tr key={row.device}>
                <td>
                  <Form.Check
                    type="radio"
                    name="effects-on"
                    id={`effects-on-${row.device}`}
                    label={
                      <>
                        {row.name} <small>{row.note}</small>
                      </>
                    }
                    checked={row.choices.includes(effectsOn) || (isMissing && row.device === "processor")}
                    onChange={() => changeSettings({ effectsOn: row.device })}
                  />
                  {result && "failure" in result ? <p className="control-warning">{result.failure}</p> : null}
                </td>
                <td className="number">
                  <Rate result={result} />
                </td>
                <td className="number">
                  <Difference result={result} />
                </td>
              </tr>
            );
          })}
        </tbody>
      </Table>
      {trial ? <WorkTable trial={trial} rows={rows} /> : null}
      {hardware && hardware.graphics.length > 0 ? (
        <p className="control-note">
          The system lists{" "}
          {hardware.graphics
            .map(({ name, memoryBytes, driver }) =>
              [name, memoryBytes ? bytesText(memoryBytes) : "", driver ? `driver ${driver}` : ""]
                .filter(Boolean)
                .join(", "),
            )
            .join("; ")}
          . The browser decides which of its devices it hands out.
        </p>
      ) : null}
      <div className="sheet-row what-if-save">
        <Button
          size="sm"
          variant="dark"
          disabled={isMeasuring || adapters === undefined || adapters.length === 0}
          onClick={() => send({ kind: "measureGraphics", devices: rows.map(({ device }) => device) })}
        >
          Measure on {composition.name}
        </Button>
        {better ? (
          <Button size="sm" variant="outline-dark" onClick={() => changeSettings({ effectsOn: better.device })}>
            Use {better.name}
          </Button>
        ) : null}
      </div>
      <DecodingPanel />
    </section>
  );
}
