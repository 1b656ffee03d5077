import { frameBytes, framesThatFit, secondsHeld, type AdvisedProgram } from "@kinetocache/core";
import { useState } from "react";
import Button from "react-bootstrap/Button";
import Form from "react-bootstrap/Form";
import { askProgramToQuit, markProgram, useStartup } from "../../data/server";
import { useWorkspace } from "../../data/workspace";
import { bytesText, percentText, secondsText } from "../../parts/format";
import { LongText } from "../../parts/LongText";
import { SortableTable, type Column } from "../../parts/SortableTable";
import "./ProgramTable.css";

// What is urgent comes first; of the rest as many as fill the table, and none that takes next to nothing.
const SHOWN = 7;
const WORTH_SHOWING = 8 * 2 ** 20;

function order(programs: readonly AdvisedProgram[]): AdvisedProgram[] {
  return [...programs].sort(
    (a, b) => Number(b.advice.urgent) - Number(a.advice.urgent) || b.memoryBytes - a.memoryBytes,
  );
}

/** Columns of the programs. @param seconds what closing one gives back, in seconds of playback */
function columnsFor(seconds: (bytes: number) => string): Column<AdvisedProgram>[] {
  return [
    {
      header: "Program",
      accessorFn: ({ name }) => name,
      meta: { className: () => "program-name", title: (program) => `${program.name} ${countText(program)}` },
      cell: ({ row: { original: program } }) => (
        <>
          {program.name} {program.processes > 1 ? <small>{countText(program)}</small> : null}
          {program.commandLine === undefined ? null : (
            <LongText className="program-command" text={program.commandLine} />
          )}
        </>
      ),
    },
    {
      header: "Memory",
      accessorFn: ({ memoryBytes }) => memoryBytes,
      meta: { isNumber: true, className: ({ memoryMeasured }) => (memoryMeasured ? "" : "is-estimate") },
      cell: ({ row: { original: program } }) => (
        <>
          {bytesText(program.memoryBytes)}
          {program.memoryMeasured ? null : <small> est.</small>}
        </>
      ),
    },
    {
      header: "Processor",
      accessorFn: ({ processorShare }) => processorShare,
      meta: { isNumber: true },
      cell: ({ row }) => percentText(row.original.processorShare),
    },
    {
      header: "Advice",
      accessorFn: ({ advice }) => Number(advice.urgent),
      cell: ({ row: { original } }) =>
        original.advice.urgent ? (
          <strong>{original.advice.text}</strong>
        ) : (
          <span className="why">{original.advice.text}</span>
        ),
    },
    {
      header: "Gives back",
      accessorFn: ({ advice }) => advice.givesBackBytes ?? 0,
      meta: { isNumber: true },
      cell: ({ row: { original } }) =>
        original.advice.givesBackBytes === undefined ? "–" : seconds(original.advice.givesBackBytes),
    },
  ];
}

/** What the user can do about a program of this machine; those of a simulated one cannot be marked or asked. */
const ACTS: Column<AdvisedProgram> = {
  id: "mark",
  header: "Your mark",
  meta: { className: () => "program-acts" },
  cell: ({ row }) => <ProgramActs program={row.original} />,
};

const countText = ({ processes }: AdvisedProgram) => (processes > 1 ? `${processes} processes` : "");

function ProgramActs({ program }: { readonly program: AdvisedProgram }) {
  const { notify } = useWorkspace();
  const [asking, setAsking] = useState(false);
  const { id, name, memoryBytes, advice, mark } = program;
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
  if (advice.givesBackBytes === undefined) return null;
  return (
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
  const worth = ordered.filter(({ advice, memoryBytes }) => advice.urgent || memoryBytes >= WORTH_SHOWING);
  const shown = all ? ordered : worth;
  return (
    <section className="sheet" aria-label="Who else is using this machine">
      <h2>Who else is using this machine</h2>
      {programs ? (
        <SortableTable
          className="programs"
          columns={[...columnsFor(seconds), ...(real ? [ACTS] : [])]}
          rows={shown}
          idOf={({ id }) => id}
          most={all ? ordered.length : SHOWN}
        />
      ) : (
        <p className="empty">Not available: this system does not report what its programs use.</p>
      )}
      <div className="sheet-foot">
        {all || ordered.length > Math.min(SHOWN, worth.length) ? (
          <Button size="sm" variant="link" onClick={() => setAll(!all)}>
            {all ? "Show fewer" : `Show all ${ordered.length}`}
          </Button>
        ) : null}
        {real ? <Startup /> : null}
      </div>
    </section>
  );
}
