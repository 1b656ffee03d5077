import { changedMachine, LEAST_HOST_LIMIT, type MachineSheet } from "@kinetocache/core";
import { useState } from "react";
import Button from "react-bootstrap/Button";
import Form from "react-bootstrap/Form";
import { useForm } from "react-hook-form";
import { addMachine, removeMachine, useOtherMachines } from "../../data/machine";
import { useWorkspace } from "../../data/workspace";
import { Amount } from "../../parts/Amount";

const GIB = 2 ** 30;

interface WhatIfProps {
  /** The machine that is changed. */
  readonly sheet: MachineSheet;
  /** Where the browser keeps it, when it is one of the user's own. */
  readonly id?: number;
}

/** Changes a machine to see what that would bring, and keeps it as a new one. */
export function WhatIf({ sheet, id }: WhatIfProps) {
  const { notify } = useWorkspace();
  const others = useOtherMachines();
  const { installedBytes, cores } = sheet.hardware;
  const { register, handleSubmit } = useForm({ defaultValues: { name: "" } });
  const [change, setChange] = useState({
    installedBytes,
    cores,
    speed: sheet.simulation?.speed ?? 1,
    hostLimitBytes: sheet.hostLimitBytes,
  });
  const failed = (error: Error) => notify(error.message);
  const save = handleSubmit(({ name }) => {
    const called = name.trim() || `${sheet.name}, ${Math.round(change.installedBytes / GIB)} GB`;
    addMachine(changedMachine(sheet, { ...change, name: called }, Date.now()), others).catch(failed);
  });
  const remove = () => {
    if (id === undefined) return;
    const bringBack = () => void addMachine(sheet, []).catch(failed);
    removeMachine(id)
      .then(() => notify(`${sheet.name} was removed.`, { label: "Bring back", run: bringBack }))
      .catch(failed);
  };
  return (
    <section className="sheet" aria-label="What if">
      <h2>
        What if <small>this machine were another</small>
      </h2>
      <div className="memory-amounts">
        <Amount
          id="what-if-installed"
          label="Installed"
          unit="GB"
          value={Number((change.installedBytes / GIB).toFixed(1))}
          min={0.5}
          max={8192}
          step={8}
          onChange={(value) => setChange({ ...change, installedBytes: Math.round(value * GIB) })}
        />
        <Amount
          id="what-if-cores"
          label="Cores"
          unit=""
          value={change.cores}
          min={1}
          max={1024}
          onChange={(value) => setChange({ ...change, cores: Math.round(value) })}
        />
        <Amount
          id="what-if-speed"
          label="Speed"
          unit="×"
          value={change.speed}
          min={0.01}
          max={100}
          step={0.1}
          onChange={(speed) => setChange({ ...change, speed })}
        />
        <Amount
          id="what-if-limit"
          label="Host limit"
          unit="GB"
          value={Number(((change.hostLimitBytes ?? 0) / GIB).toFixed(1))}
          min={0}
          max={1024}
          onChange={(value) =>
            setChange({
              ...change,
              hostLimitBytes: value === 0 ? undefined : Math.max(LEAST_HOST_LIMIT, Math.round(value * GIB)),
            })
          }
        />
      </div>
      <Form className="sheet-row what-if-save" onSubmit={(event) => void save(event)}>
        <Form.Control
          size="sm"
          aria-label="Name of the new machine"
          placeholder={`${sheet.name}, ${Math.round(change.installedBytes / GIB)} GB`}
          maxLength={200}
          {...register("name")}
        />
        <Button size="sm" variant="dark" type="submit">
          Save as a new machine
        </Button>
      </Form>
      {id === undefined ? null : (
        <Button size="sm" variant="outline-dark" onClick={remove}>
          Remove {sheet.name}
        </Button>
      )}
    </section>
  );
}
