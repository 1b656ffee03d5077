import {
  CAP_ORDERS,
  ITEM_KINDS,
  type CapOrder,
  type CleaningRule,
  type HeldReport,
  type ItemKind,
  type RuleAction,
  type RuleReport,
  type SweepSettings,
} from "@kinetocache/core";
import { Trash2 } from "lucide-react";
import { useState } from "react";
import Button from "react-bootstrap/Button";
import Form from "react-bootstrap/Form";
import { useDrives } from "../../data/server";
import { changeSweepSettings, restoreBatch, runRules, useRulePreviews, useSweepSettings } from "../../data/sweep";
import { useWorkspace } from "../../data/workspace";
import { bytesText, countText, momentText } from "../../parts/format";
import { NumberField } from "../../parts/NumberField";
import { Waiting } from "../../parts/Waiting";
import { useAttempt } from "./attempt";
import { RuleFilePanel } from "./RuleFilePanel";
import { SkippedList } from "./SkippedList";
import { conflictText, kindText, ruleText } from "./sweepWords";

const GIB = 2 ** 30;
const ACTIONS: readonly { readonly kind: RuleAction["kind"]; readonly label: string }[] = [
  { kind: "age", label: "unused for some days go" },
  { kind: "cap", label: "over a cap go" },
  { kind: "close", label: "go when their composition is closed" },
  { kind: "never", label: "never go" },
];
const NEW_ACTION: Readonly<Record<RuleAction["kind"], RuleAction>> = {
  age: { kind: "age", days: 30 },
  cap: { kind: "cap", bytes: 50 * GIB, order: "least recently used" },
  close: { kind: "close" },
  never: { kind: "never" },
};

/** What is cleaned away by itself. */
export function RulesPanel() {
  const settings = useSweepSettings();
  if (settings.error && !settings.data)
    return (
      <>
        <h1>Rules cannot be read</h1>
        <p>{settings.error.message}</p>
      </>
    );
  return settings.data ? <LoadedRules settings={settings.data} /> : <Waiting for="Looking at the rules…" />;
}

function LoadedRules({ settings }: { readonly settings: SweepSettings & { readonly rulesAtMs?: number } }) {
  const { notify } = useWorkspace();
  const { rules, timetable } = settings;
  const reports = useRulePreviews(rules).data;
  const reportOf = (id: string) => reports?.find((report) => report.rule === id);
  const [report, setReport] = useState<HeldReport>();
  const { busy, run } = useAttempt();
  const change = (part: Partial<SweepSettings>) => {
    changeSweepSettings({ ...settings, ...part }).catch((error: unknown) => notify((error as Error).message));
  };
  const set = (id: string, part: Partial<CleaningRule>) =>
    change({ rules: rules.map((rule) => (rule.id === id ? { ...rule, ...part } : rule)) });
  const on = rules.filter((rule) => rule.on && rule.action.kind !== "never");
  const nameOf = (id: string) => {
    const rule = rules.find((one) => one.id === id);
    return rule ? ruleText(rule) : id;
  };
  // Each report counts what several rules take for its own rule; together they are no more than the largest.
  const total = on.reduce((sum, { id }) => Math.max(sum, reportOf(id)?.bytes ?? 0), 0);
  return (
    <>
      <div className="page-head">
        <h1>
          {on.length === 0
            ? "No rule takes anything by itself"
            : `${countText(on.length, "rule")} on${reports ? `: ${total > 0 ? `at least ${bytesText(total)}` : "nothing"} would go now` : ""}`}
        </h1>
        <span>
          {timetable.on && settings.rulesAtMs !== undefined
            ? `Next run ${momentText(settings.rulesAtMs)}, while the application runs.`
            : "They run when you start them."}
        </span>
        <div className="page-action page-exports">
          <Button
            variant="dark"
            disabled={busy || on.length === 0}
            onClick={() => void run(async () => setReport(await runRules()))}
          >
            Run the rules now
          </Button>
        </div>
      </div>
      {report ? (
        <section className="sheet plan" aria-label="What the rules did" aria-live="polite">
          <div className="plan-head">
            <h2>
              {report.batches.length === 0
                ? "The rules took nothing"
                : `${bytesText(report.batches.reduce((sum, { bytes }) => sum + bytes, 0))} moved to holding`}
            </h2>
            {report.batches.length > 0 ? (
              <Button
                variant="outline-dark"
                disabled={busy}
                onClick={() =>
                  void run(async () => {
                    for (const { id } of report.batches) await restoreBatch(id);
                    setReport(undefined);
                  })
                }
              >
                Undo
              </Button>
            ) : null}
          </div>
          <SkippedList skipped={report.skipped} words="stayed" />
        </section>
      ) : null}
      <section className="sheet" aria-label="Rules">
        <div className="plan-head">
          <h2>
            Rules <small>where two disagree, the one that keeps wins</small>
          </h2>
          <Button
            size="sm"
            variant="outline-dark"
            onClick={() =>
              change({
                rules: [
                  ...rules,
                  { id: crypto.randomUUID().slice(0, 8), on: false, kinds: ["frames"], action: NEW_ACTION.age },
                ],
              })
            }
          >
            Add a rule
          </Button>
        </div>
        {rules.map((rule, index) => (
          <RuleRow
            key={rule.id}
            rule={rule}
            number={index + 1}
            report={reportOf(rule.id)}
            nameOf={nameOf}
            onChange={(part) => set(rule.id, part)}
            onRemove={() => change({ rules: rules.filter(({ id }) => id !== rule.id) })}
          />
        ))}
        <div className="holding-days">
          <Form.Check
            type="switch"
            id="timetable"
            label="Run by a timetable"
            checked={timetable.on}
            onChange={(event) => change({ timetable: { ...timetable, on: event.target.checked } })}
          />
          <span>every</span>
          <NumberField
            label="Days between runs"
            value={timetable.everyDays}
            min={1}
            max={365}
            step={1}
            unit="days"
            onChange={(everyDays) => change({ timetable: { ...timetable, everyDays: Math.round(everyDays) } })}
          />
          <span>at</span>
          <NumberField
            label="Hour of the run"
            value={timetable.hour}
            min={0}
            max={23}
            step={1}
            unit="o'clock"
            onChange={(hour) => change({ timetable: { ...timetable, hour: Math.round(hour) } })}
          />
          <small>Folders are scanned first. What it takes is in Holding, and can be brought back.</small>
        </div>
      </section>
      <RuleFilePanel />
    </>
  );
}

interface RuleRowProps {
  readonly rule: CleaningRule;
  readonly number: number;
  readonly report: RuleReport | undefined;
  readonly nameOf: (rule: string) => string;
  readonly onChange: (part: Partial<CleaningRule>) => void;
  readonly onRemove: () => void;
}

function RuleRow({ rule, number, report, nameOf, onChange, onRemove }: RuleRowProps) {
  const { kinds, action, drive, whenFreeBelow, on } = rule;
  const drives = useDrives().data?.drives ?? [];
  const conflict = report ? conflictText(report.kept, nameOf) : "";
  const toggleKind = (kind: ItemKind) =>
    onChange({ kinds: kinds.includes(kind) ? kinds.filter((one) => one !== kind) : [...kinds, kind] });
  return (
    <fieldset className="rule" aria-label={`Rule ${number}`}>
      <div className="rule-head">
        <Form.Check
          type="switch"
          id={`rule-${rule.id}`}
          label={ruleText(rule)}
          checked={on}
          onChange={(event) => onChange({ on: event.target.checked })}
        />
        <span className={`mono rule-takes ${on ? "" : "is-estimate"}`}>
          {action.kind === "never"
            ? "keeps"
            : action.kind === "close"
              ? "takes at closing"
              : report
                ? `${on ? "takes" : "would take"} ${bytesText(report.bytes)}, ${countText(report.items, "item")} now`
                : "…"}
        </span>
        <Button
          variant="link"
          size="sm"
          className="icon-button"
          aria-label={`Remove rule ${number}`}
          onClick={onRemove}
        >
          <Trash2 size="0.875rem" aria-hidden="true" />
        </Button>
      </div>
      {conflict === "" ? null : <p className="control-note">{conflict}</p>}
      <div className="rule-parts">
        <span className="chips" role="group" aria-label="Kinds">
          {ITEM_KINDS.map((kind) => (
            <Button
              key={kind}
              size="sm"
              variant="outline-dark"
              active={kinds.includes(kind)}
              aria-pressed={kinds.includes(kind)}
              onClick={() => toggleKind(kind)}
            >
              {kindText(kind)}
            </Button>
          ))}
        </span>
        <Form.Select
          size="sm"
          aria-label={`What rule ${number} does`}
          value={action.kind}
          onChange={(event) => onChange({ action: NEW_ACTION[event.target.value as RuleAction["kind"]] })}
        >
          {ACTIONS.map(({ kind, label }) => (
            <option key={kind} value={kind}>
              {label}
            </option>
          ))}
        </Form.Select>
        {action.kind === "age" ? (
          <NumberField
            label={`Days of rule ${number}`}
            value={action.days}
            min={1}
            max={36_500}
            step={1}
            unit="days"
            onChange={(days) => onChange({ action: { kind: "age", days: Math.round(days) } })}
          />
        ) : null}
        {action.kind === "cap" ? (
          <>
            <NumberField
              label={`Cap of rule ${number}`}
              value={action.bytes / GIB}
              decimals={1}
              min={0}
              max={2 ** 20}
              step={1}
              unit="GB"
              onChange={(size) => onChange({ action: { ...action, bytes: Math.round(size * GIB) } })}
            />
            <Form.Select
              size="sm"
              aria-label={`Order of rule ${number}`}
              value={action.order}
              onChange={(event) => onChange({ action: { ...action, order: event.target.value as CapOrder } })}
            >
              {CAP_ORDERS.map((order) => (
                <option key={order}>{order}</option>
              ))}
            </Form.Select>
          </>
        ) : null}
        <Form.Select
          size="sm"
          aria-label={`Drive of rule ${number}`}
          value={drive ?? ""}
          onChange={(event) => onChange({ drive: event.target.value || undefined })}
        >
          <option value="">every drive</option>
          {drives.map((one) => (
            <option key={one.mount} value={one.mount}>
              {one.simulated ? one.device : one.mount}
            </option>
          ))}
        </Form.Select>
        <Form.Check
          type="checkbox"
          id={`rule-${rule.id}-free`}
          label="only while it has less free than"
          checked={whenFreeBelow !== undefined}
          onChange={(event) => onChange({ whenFreeBelow: event.target.checked ? 50 * GIB : undefined })}
        />
        {whenFreeBelow === undefined ? null : (
          <NumberField
            label={`Free space of rule ${number}`}
            value={whenFreeBelow / GIB}
            decimals={1}
            min={0}
            max={2 ** 20}
            step={1}
            unit="GB"
            onChange={(size) => onChange({ whenFreeBelow: Math.round(size * GIB) })}
          />
        )}
      </div>
    </fieldset>
  );
}
