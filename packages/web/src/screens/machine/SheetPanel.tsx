import { driftSince, type Drift, type Hardware, type MachineSheet } from "@kinetocache/core";
import { useLiveQuery } from "dexie-react-hooks";
import { Trash2 } from "lucide-react";
import { useRef, useState } from "react";
import Button from "react-bootstrap/Button";
import Form from "react-bootstrap/Form";
import Table from "react-bootstrap/Table";
import { useForm } from "react-hook-form";
import { database, type StoredSheet } from "../../data/database";
import { useAdapters } from "../../data/graphics";
import { changeMachineSettings, settingsOfSheet, sheetOf, useMachineSettings } from "../../data/machine";
import { useWorkspace } from "../../data/workspace";
import { download } from "../../parts/download";
import { agoText, bytesText } from "../../parts/format";
import { refusalText } from "../../parts/refusal";

function valueText(what: string, value: Drift["saved"]): string {
  if (value === undefined) return "not there";
  return what.endsWith("Bytes") && typeof value === "number" ? bytesText(value) : String(value);
}

/** "memoryBudgetBytes" as a person would say it. */
function nameText(what: string): string {
  const words = what.replace(/Bytes$|Ms$/, "").replace(/([a-z])([A-Z])/g, "$1 $2");
  return words.charAt(0).toUpperCase() + words.slice(1).toLowerCase();
}

interface ComparedProps {
  readonly saved: MachineSheet;
  readonly now: MachineSheet;
  readonly onPutBack: () => void;
}

/** What is not as it was saved. */
function Compared({ saved, now, onPutBack }: ComparedProps) {
  const drifts = driftSince(saved, now);
  if (drifts.length === 0)
    return <p className="empty">Nothing has drifted: hardware, drivers and settings are as they were.</p>;
  return (
    <>
      <Table size="sm" className="difference-table">
        <thead>
          <tr>
            <th scope="col">Drifted</th>
            <th scope="col">Then</th>
            <th scope="col">Now</th>
          </tr>
        </thead>
        <tbody>
          {drifts.map(({ kind, what, saved: then, now: present }) => (
            <tr key={`${kind} ${what}`}>
              <td>
                {nameText(what)} <small>{kind}</small>
              </td>
              <td className="mono">{valueText(what, then)}</td>
              <td className="mono">{valueText(what, present)}</td>
            </tr>
          ))}
        </tbody>
      </Table>
      {drifts.some(({ kind }) => kind === "setting") ? (
        <Button size="sm" variant="dark" onClick={onPutBack}>
          Put the settings back
        </Button>
      ) : null}
    </>
  );
}

/** Saved descriptions of this machine, and what has changed since. */
export function SheetPanel({ hardware }: { readonly hardware: Hardware | undefined }) {
  const { settings, changeSettings, notify } = useWorkspace();
  const machine = useMachineSettings();
  const sheets =
    useLiveQuery(() =>
      database.sheets
        .reverse()
        .filter(({ sheet }) => sheet.simulation === undefined)
        .toArray(),
    ) ?? [];
  const [compared, setCompared] = useState<number>();
  const { register, handleSubmit, reset } = useForm({ defaultValues: { name: "" } });
  const file = useRef<HTMLInputElement>(null);
  const { adapters } = useAdapters();
  const now = hardware && machine && adapters && sheetOf({ name: "now", hardware, adapters, settings, machine });
  const against = sheets.find(({ id }) => id === compared);

  const add = (sheet: MachineSheet) =>
    void database.sheets
      .add({ sheet })
      .then((id) => setCompared(id))
      .catch((error: Error) => notify(`The sheet could not be stored: ${error.message}`));
  const save = handleSubmit(({ name }) => {
    if (!now) return;
    add({ ...now, name: name.trim() || "This machine" });
    reset();
  });
  const bringIn = async (chosen: File | undefined) => {
    if (!chosen) return;
    try {
      const { parseSheetText } = await import("../../data/sheetChecks");
      add(parseSheetText(await chosen.text()));
    } catch (error) {
      notify(refusalText(chosen.name, error));
    }
  };
  const putBack = async ({ sheet }: StoredSheet) => {
    try {
      const { acceptSettings } = await import("../../data/sheetChecks");
      changeSettings(acceptSettings(settingsOfSheet(sheet.settings, settings)));
      const kept = sheet.settings.keptFreeBytes;
      void changeMachineSettings({
        keptFreeBytes: typeof kept === "number" ? kept : undefined,
        hostLimitBytes: sheet.hostLimitBytes,
      });
      notify(`The settings of ${sheet.name} are back.`);
    } catch (error) {
      notify(`The settings were not put back: ${(error as Error).message}`);
    }
  };

  return (
    <section className="sheet" aria-label="Machine sheets">
      <h2>
        Machine sheets <small>a record of this machine, to see what drifted</small>
      </h2>
      <Form className="sheet-row" onSubmit={(event) => void save(event)}>
        <Form.Control
          size="sm"
          aria-label="Name of the sheet"
          placeholder="This machine"
          maxLength={200}
          {...register("name")}
        />
        <Button size="sm" variant="dark" type="submit" disabled={!now}>
          Save a sheet
        </Button>
        <Button size="sm" variant="outline-dark" onClick={() => file.current?.click()}>
          Import…
        </Button>
        <input
          ref={file}
          type="file"
          accept=".json,application/json"
          hidden
          aria-label="Machine sheet file"
          onChange={(event) => {
            void bringIn(event.target.files?.[0]);
            event.target.value = "";
          }}
        />
      </Form>
      {sheets.map(({ id, sheet }) => (
        <div className="sheet-row" key={id}>
          <Button
            size="sm"
            variant="link"
            className="sheet-name"
            aria-pressed={id === compared}
            onClick={() => setCompared(id === compared ? undefined : id)}
          >
            {sheet.name} <small>{agoText(sheet.savedAtMs, Date.now())}</small>
          </Button>
          <Button
            size="sm"
            variant="outline-dark"
            onClick={() => download(`${sheet.name}.json`, `${JSON.stringify(sheet, null, 1)}\n`)}
          >
            Export
          </Button>
          <Button
            size="sm"
            variant="outline-dark"
            className="icon-button"
            aria-label={`Remove ${sheet.name}`}
            onClick={() =>
              void database.sheets
                .delete(id)
                .then(() =>
                  notify(`The sheet ${sheet.name} was removed.`, { label: "Bring back", run: () => add(sheet) }),
                )
            }
          >
            <Trash2 size="0.875rem" aria-hidden="true" />
          </Button>
        </div>
      ))}
      {against && now ? <Compared saved={against.sheet} now={now} onPutBack={() => putBack(against)} /> : null}
    </section>
  );
}
