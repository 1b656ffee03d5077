import { frameBytes, framesThatFit, secondsHeld, type AdvisedProgram } from "@kinetocache/core";
import { useState } from "react";
import Button from "react-bootstrap/Button";
import Form from "react-bootstrap/Form";
import Table from "react-bootstrap/Table";
import { askProgramToQuit, markProgram, useStartup } from "../../data/server";
import { useWorkspace } from "../../data/workspace";
import { bytesText, percentText, secondsText } from "../../parts/format";
import { LongText } from "../../parts/LongText";

// What is urgent comes first; of the rest as many as fill the table, and none that takes next to nothing.
const SHOWN = 7;
const WORTH_SHOWING = 8 * 2 ** 20;

function order(programs: readonly AdvisedProgram[]): AdvisedProgram[] {
  return [...programs].sort(
    (a, b) => Number(b.advice.urgent) - Number(a.advice.urgent) || b.memoryBytes - a.memoryBytes,
  );
}

interface RowProps {
  readonly program: AdvisedProgram;
  readonly seconds: (bytes: number) => string;
  /** False for a simulated machine: its programs cannot be marked or asked. */
  readonly real: boolean;
}

function ProgramRow({ program, seconds, real }: RowProps) {
  const { notify } = useWorkspace();
  const [asking, setAsking] = useState(false);
  const { id, name, commandLine, processes, memoryBytes, memoryMeasured, processorShare, advice, mark } = program;
  const ask = async () => {
    setAsking(true);
    try {
      const outcome = await askProgramToQuit(id);
      notify(
        outcome === "closed"
          ? `${name} has closed; about ${bytesText(memoryBytes)} came back.`
          : `${name} is still running. It may be asking whether to save something; nothing more was done.`,
      );
    } catch (error) {
      notify((error as Error).message);
    }
    setAsking(false);
  };
  const setMark = (value: string) =>
    void markProgram(id, value === "" ? undefined : (value as "keep" | "not needed")).catch((error: Error) =>
      notify(error.message),
    );
  const count = processes > 1 ? `${processes} processes` : "";
  return (
    <tr>
      <td className="program-name" title={`${name} ${count}`}>
        {name} {count === "" ? null : <small>{count}</small>}
        {commandLine === undefined ? null : <LongText className="program-command" text={commandLine} />}
      </td>
      <td className={`number ${memoryMeasured ? "" : "is-estimate"}`}>
        {bytesText(memoryBytes)}
        {memoryMeasured ? null : <small> est.</small>}
      </td>
      <td className="number">{percentText(processorShare)}</td>
      <td>{advice.urgent ? <strong>{advice.text}</strong> : <span className="why">{advice.text}</span>}</td>
      <td className="number">{advice.givesBackBytes === undefined ? "–" : seconds(advice.givesBackBytes)}</td>
      {real ? (
        <td className="program-acts">
          {advice.givesBackBytes === undefined ? null : (
            <>
              <Form.Select
                size="sm"
                aria-label={`Your mark for ${name}`}
                value={mark ?? ""}
                onChange={(event) => setMark(event.target.value)}
              >
                <option value="">No mark</option>
                <option value="keep">Keep</option>
                <option value="not needed">Not needed</option>
              </Form.Select>
              <Button
                size="sm"
                variant="outline-dark"
                disabled={!advice.mayAsk || asking}
                aria-label={`Ask to quit: ${name}`}
                onClick={() => void ask()}
              >
                Ask to quit
              </Button>
            </>
          )}
        </td>
      ) : null}
    </tr>
  );
}

function Startup() {
  const { data: entries } = useStartup();
  if (!entries) return null;
  return (
    <details className="startup">
      <summary>
        {entries.length === 0
          ? "Nothing is set to start by itself"
          : `${entries.length} programs and services are set to start by themselves`}
      </summary>
      <ul>
        {entries.map(({ file, name, kind }) => (
          <li key={file}>
            {name} <small>{kind}</small> <code>{file}</code>
          </li>
        ))}
      </ul>
    </details>
  );
}

interface ProgramTableProps {
  /** Undefined where the platform does not tell. */
  readonly programs: readonly AdvisedProgram[] | undefined;
  readonly real: boolean;
}

/** Who else uses the machine, and what closing it would give back. */
export function ProgramTable({ programs, real }: ProgramTableProps) {
  const { composition, document, settings } = useWorkspace();
  const [all, setAll] = useState(false);
  const bytes = frameBytes(composition, settings.fraction, document.depth);
  const seconds = (given: number) => {
    const held = secondsHeld(framesThatFit(given, bytes), composition.rate);
    return held < 0.05 ? "under 0.1 s" : `+${secondsText(held)}`;
  };
  const ordered = order(programs ?? []);
  const shown = all
    ? ordered
    : ordered.filter(({ advice, memoryBytes }) => advice.urgent || memoryBytes >= WORTH_SHOWING).slice(0, SHOWN);
  return (
    <section className="sheet" aria-label="Who else is using this machine">
      <h2>Who else is using this machine</h2>
      {programs ? (
        <Table size="sm" className="programs">
          <thead>
            <tr>
              <th scope="col">Program</th>
              <th scope="col" className="number">
                Memory
              </th>
              <th scope="col" className="number">
                Processor
              </th>
              <th scope="col">Advice</th>
              <th scope="col" className="number">
                Gives back
              </th>
              {real ? <th scope="col">Your mark</th> : null}
            </tr>
          </thead>
          <tbody>
            {shown.map((program) => (
              <ProgramRow key={program.id} program={program} seconds={seconds} real={real} />
            ))}
          </tbody>
        </Table>
      ) : (
        <p className="empty">Not available here: this system does not tell what its programs take.</p>
      )}
      <div className="sheet-foot">
        {all || ordered.length > shown.length ? (
          <Button size="sm" variant="link" onClick={() => setAll(!all)}>
            {all ? "Show fewer" : `Show all ${ordered.length}`}
          </Button>
        ) : null}
        {real ? <Startup /> : null}
      </div>
    </section>
  );
}
