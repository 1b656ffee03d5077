import {
  DEFAULT_SWEEP_SETTINGS,
  LONGEST_HOLDING_DAYS,
  type Batch,
  type HistoryEntry,
  type Stayed,
  type SweepSettings,
} from "@kinetocache/core";
import { useLiveQuery } from "dexie-react-hooks";
import { Fragment, useState } from "react";
import Button from "react-bootstrap/Button";
import Form from "react-bootstrap/Form";
import Table from "react-bootstrap/Table";
import { Link } from "react-router";
import { csvText } from "../../data/csv";
import { database, type StoredTake } from "../../data/database";
import { send, useEngine } from "../../data/engineStore";
import { shortPath } from "../../data/locations";
import {
  changeSweepSettings,
  emptyBatch,
  restoreBatch,
  useHeldItems,
  useHistory,
  useHolds,
  useSweepSettings,
} from "../../data/sweep";
import { useWorkspace } from "../../data/workspace";
import { download } from "../../parts/download";
import { agoText, bytesText, countText, durationText, percentText } from "../../parts/format";
import { NumberField } from "../../parts/NumberField";
import { Waiting } from "../../parts/Waiting";
import { useAttempt } from "./attempt";
import { goesText, kindText, projectText, stayedText } from "./sweepWords";

const MOST_NAMES = 3;
const MOST_LISTED = 200;
const MOST_HISTORY = 100;

/** Names of compositions by their ids: the server may not know them. */
function useNames(): ReadonlyMap<string, string> {
  return (
    useLiveQuery(async () => new Map((await database.documents.toArray()).map(({ id, name }) => [id, name]))) ??
    new Map<string, string>()
  );
}

function projectsText(projects: readonly string[], names: ReadonlyMap<string, string>): string {
  const all = projects.map((project) => names.get(project) ?? projectText(project));
  const rest = all.length - MOST_NAMES;
  return `${all.slice(0, MOST_NAMES).join(", ")}${rest > 0 ? ` and ${rest} more` : ""}`;
}

/** What was swept: it waits here, comes back, or goes for good. */
export function HoldingPanel() {
  const holds = useHolds();
  const settings = useSweepSettings().data;
  const names = useNames();
  const { notify } = useWorkspace();
  const [open, setOpen] = useState<string>();
  const { busy, run } = useAttempt();
  // The batch of which it is asked whether it is to go.
  const [emptying, setEmptying] = useState<string>();
  if (holds.error && !holds.data)
    return (
      <>
        <h1>Holding cannot be read</h1>
        <p>{holds.error.message}</p>
      </>
    );
  if (!holds.data) return <Waiting for="Reading holding…" />;
  const batches = [...holds.data].sort((a, b) => b.sweptMs - a.sweptMs);
  const bytes = batches.reduce((sum, batch) => sum + batch.bytes, 0);
  const tellStayed = (stayed: readonly Stayed[]) => {
    if (stayed.length > 0) notify(stayedText(stayed));
  };
  const restore = (id: string, numbers?: readonly number[]) =>
    run(async () => tellStayed(await restoreBatch(id, numbers)));
  const empty = (id: string, numbers?: readonly number[]) => run(async () => tellStayed(await emptyBatch(id, numbers)));
  return (
    <>
      <div className="page-head">
        <h1>{batches.length > 0 ? `${bytesText(bytes)} wait in holding` : "Holding is empty"}</h1>
        <span>
          {batches.length > 0
            ? "Not yet returned to the drive; everything can be brought back until it is emptied."
            : "Swept files wait here; until it is emptied everything can be brought back."}
        </span>
      </div>
      <section className="sheet" aria-label="Holding">
        <HoldingDays settings={settings} />
        {batches.length === 0 ? null : (
          <Table size="sm" className="holding-table">
            <tbody>
              {batches.map((batch) => (
                <Fragment key={batch.id}>
                  <tr>
                    <td>
                      {countText(batch.items, "item")} of {projectsText(batch.projects, names)}
                    </td>
                    <td className="number">{bytesText(batch.bytes)}</td>
                    <td>
                      swept {agoText(batch.sweptMs, Date.now())} by {batch.by}, {goesText(batch.waitedMs, settings)}
                    </td>
                    <td className="number">
                      {batch.rebuildMs > 0 ? `${durationText(batch.rebuildMs)} to rebuild` : ""}
                    </td>
                    <td className="marks">
                      <Button
                        size="sm"
                        variant="outline-dark"
                        aria-expanded={open === batch.id}
                        onClick={() => setOpen(open === batch.id ? undefined : batch.id)}
                      >
                        Items
                      </Button>
                      <Button size="sm" variant="outline-dark" disabled={busy} onClick={() => void restore(batch.id)}>
                        Bring back
                      </Button>
                    </td>
                    <td className="holding-empty">
                      <Button
                        size="sm"
                        variant="outline-dark"
                        aria-expanded={emptying === batch.id}
                        onClick={() => setEmptying(emptying === batch.id ? undefined : batch.id)}
                      >
                        Empty…
                      </Button>
                    </td>
                  </tr>
                  {emptying === batch.id ? (
                    <tr>
                      <td colSpan={6} className="holding-question">
                        <EmptyQuestion
                          items={batch.items}
                          bytes={batch.bytes}
                          busy={busy}
                          onEmpty={() => {
                            setEmptying(undefined);
                            void empty(batch.id);
                          }}
                          onLeave={() => setEmptying(undefined)}
                        />
                      </td>
                    </tr>
                  ) : null}
                  {open === batch.id ? (
                    <tr>
                      <td colSpan={6}>
                        <HeldItems
                          batch={batch}
                          busy={busy}
                          onRestore={(numbers) => void restore(batch.id, numbers)}
                          onEmpty={(numbers) => void empty(batch.id, numbers)}
                        />
                      </td>
                    </tr>
                  ) : null}
                </Fragment>
              ))}
            </tbody>
          </Table>
        )}
      </section>
      <Playback />
      <HistorySheet names={names} />
    </>
  );
}

/** When holding empties itself. */
function HoldingDays({ settings }: { readonly settings: SweepSettings | undefined }) {
  const { notify } = useWorkspace();
  if (!settings) return null;
  const { emptyAfterDays } = settings;
  const change = (days: number | null) => {
    changeSweepSettings({ ...settings, emptyAfterDays: days }).catch((error: unknown) =>
      notify((error as Error).message),
    );
  };
  return (
    <div className="holding-days">
      <Form.Check
        type="switch"
        id="holding-empties"
        label="Empties itself after"
        checked={emptyAfterDays !== null}
        onChange={(event) => change(event.target.checked ? DEFAULT_SWEEP_SETTINGS.emptyAfterDays : null)}
      />
      {emptyAfterDays === null ? (
        <span>never: only when you empty it</span>
      ) : (
        <NumberField
          label="Days until holding empties itself"
          value={emptyAfterDays}
          min={1}
          max={LONGEST_HOLDING_DAYS}
          step={1}
          unit="days"
          onChange={(days) => change(Math.round(days))}
        />
      )}
    </div>
  );
}

interface EmptyQuestionProps {
  readonly items: number;
  readonly bytes: number;
  readonly busy: boolean;
  readonly onEmpty: () => void;
  readonly onLeave: () => void;
}

function EmptyQuestion({ items, bytes, busy, onEmpty, onLeave }: EmptyQuestionProps) {
  return (
    <>
      {countText(items, "item")}, {bytesText(bytes)}, would be gone: nothing brings {items === 1 ? "it" : "them"} back.{" "}
      <Button size="sm" variant="dark" disabled={busy} onClick={onEmpty}>
        Let {bytesText(bytes)} go for good
      </Button>{" "}
      <Button size="sm" variant="outline-dark" onClick={onLeave}>
        Cancel
      </Button>
    </>
  );
}

interface HeldItemsProps {
  readonly batch: Batch;
  readonly busy: boolean;
  readonly onRestore: (numbers: readonly number[]) => void;
  readonly onEmpty: (numbers: readonly number[]) => void;
}

/** Items of a batch, of which a part can be brought back. */
function HeldItems({ batch, busy, onRestore, onEmpty }: HeldItemsProps) {
  const items = useHeldItems(batch.id).data;
  const [search, setSearch] = useState("");
  const [chosen, setChosen] = useState<ReadonlySet<number>>(new Set());
  const [isAsking, setAsking] = useState(false);
  if (!items) return <p className="empty">Reading the batch…</p>;
  const words = search.toLowerCase().trim();
  const found = items.filter(({ path, project }) => `${path} ${project}`.toLowerCase().includes(words));
  const numbers = items.flatMap(({ number }) => (chosen.has(number) ? [number] : []));
  const isAll = found.length > 0 && found.every(({ number }) => chosen.has(number));
  const toggle = (some: readonly number[], isIn: boolean) =>
    setChosen((before) => {
      const next = new Set(before);
      for (const number of some)
        if (isIn) next.add(number);
        else next.delete(number);
      return next;
    });
  const act = (work: (numbers: readonly number[]) => void) => {
    work(numbers);
    setAsking(false);
    setChosen(new Set());
  };
  return (
    <div className="held-items">
      <div className="sheet-row">
        <Form.Check
          aria-label="Select all that are listed"
          checked={isAll}
          onChange={() =>
            toggle(
              found.map(({ number }) => number),
              !isAll,
            )
          }
        />
        <Form.Control
          size="sm"
          type="search"
          aria-label="Search in the batch"
          placeholder="Search project or path"
          value={search}
          onChange={(event) => setSearch(event.target.value)}
        />
        <Button size="sm" variant="outline-dark" disabled={busy || numbers.length === 0} onClick={() => act(onRestore)}>
          Bring {countText(numbers.length, "item")} back
        </Button>
        <Button
          size="sm"
          variant="outline-dark"
          className="ms-auto"
          aria-expanded={isAsking}
          disabled={busy || numbers.length === 0}
          onClick={() => setAsking(!isAsking)}
        >
          Empty {countText(numbers.length, "item")}…
        </Button>
      </div>
      {isAsking && numbers.length > 0 ? (
        <p className="holding-question">
          <EmptyQuestion
            items={numbers.length}
            bytes={items.reduce((sum, { number, bytes }) => sum + (chosen.has(number) ? bytes : 0), 0)}
            busy={busy}
            onEmpty={() => act(onEmpty)}
            onLeave={() => setAsking(false)}
          />
        </p>
      ) : null}
      <ul className="plan-skipped">
        {found.slice(0, MOST_LISTED).map(({ number, path, kind, project, bytes }) => (
          <li key={number}>
            <Form.Check
              id={`held-${batch.id}-${number}`}
              label={
                <>
                  <span className="mono">{path}</span> {kindText(kind)}, {projectText(project)}, {bytesText(bytes)}
                </>
              }
              checked={chosen.has(number)}
              onChange={() => toggle([number], !chosen.has(number))}
            />
          </li>
        ))}
        {found.length > MOST_LISTED ? (
          <li>and {countText(found.length - MOST_LISTED, "other")}: search for them</li>
        ) : null}
      </ul>
    </div>
  );
}

/** Whether playback got better: the last take before the last sweep, and the last one after it. */
function Playback() {
  const { document, composition } = useWorkspace();
  const history = useHistory().data;
  const isMeasuring = useEngine((state) => state.status?.measuringTake ?? false);
  const takes = useLiveQuery(
    () => database.takes.filter((take) => take.document.id === document.id).sortBy("startedAtMs"),
    [document.id],
  );
  const lastMs = (history ?? []).findLast(({ what }) => what === "swept")?.atMs ?? 0;
  const before = (takes ?? []).filter(({ startedAtMs }) => startedAtMs < lastMs).at(-1);
  const after = (takes ?? []).filter(({ startedAtMs }) => startedAtMs >= lastMs).at(-1);
  const share = (take: StoredTake | undefined) => (take ? percentText(take.summary.onTimeShare) : "no take");
  return (
    <section className="sheet" aria-label="Playback">
      <div className="plan-head">
        <h2>
          Playback of {composition.name} <small>frames on time, measured</small>
        </h2>
        <div className="plan-actions">
          <Button size="sm" variant="outline-dark" disabled={isMeasuring} onClick={() => send({ kind: "measureTake" })}>
            {isMeasuring ? "Measuring…" : "Measure a take"}
          </Button>
          <Link className="btn btn-sm btn-outline-dark" to="/takes">
            Compare takes
          </Link>
        </div>
      </div>
      <p>
        {lastMs === 0 ? (
          "Nothing was swept yet. A take before and one after tell whether a sweep made playback better."
        ) : (
          <>
            Before the last sweep <span className="mono">{share(before)}</span>, after it{" "}
            <span className="mono">{share(after)}</span>.
          </>
        )}
      </p>
    </section>
  );
}

const COLUMNS = [
  "at",
  "what",
  "by",
  "place",
  "items",
  "files",
  "bytes",
  "projects",
  "skipped",
  "freeBefore",
  "freeAfter",
  "batch",
] as const;

function rowOf(entry: HistoryEntry): Record<(typeof COLUMNS)[number], unknown> {
  const { atMs, projects, freeBefore, freeAfter, ...rest } = entry;
  return {
    ...rest,
    at: new Date(atMs).toISOString(),
    projects: projects.join("; "),
    freeBefore: freeBefore ?? "",
    freeAfter: freeAfter ?? "",
  };
}

/** What was swept, brought back and let go, and what of that each drive got back. */
function HistorySheet({ names }: { readonly names: ReadonlyMap<string, string> }) {
  const history = useHistory().data ?? [];
  const rows = history.map(rowOf);
  const cells = () => rows.map((row) => COLUMNS.map((column) => row[column]));
  return (
    <section className="sheet" aria-label="History">
      <div className="plan-head">
        <h2>History</h2>
        <div className="plan-actions">
          <Button
            size="sm"
            variant="outline-dark"
            disabled={rows.length === 0}
            onClick={() => download("sweep-history.csv", csvText(COLUMNS, cells()), "text/csv")}
          >
            History as CSV
          </Button>
          <Button
            size="sm"
            variant="outline-dark"
            disabled={rows.length === 0}
            onClick={() =>
              download(
                "sweep-history.json",
                JSON.stringify({ format: "kinetocache-history", version: 1, entries: rows }, null, 1),
              )
            }
          >
            History as JSON
          </Button>
        </div>
      </div>
      {history.length === 0 ? (
        <p className="empty">Nothing was swept yet.</p>
      ) : (
        <Table size="sm">
          <tbody>
            {history
              .slice(-MOST_HISTORY)
              .reverse()
              .map((entry) => (
                <tr key={`${entry.atMs} ${entry.batch} ${entry.what}`}>
                  <td>{agoText(entry.atMs, Date.now())}</td>
                  <td>
                    {entry.what} by {entry.by}
                  </td>
                  <td>{projectsText(entry.projects, names)}</td>
                  <td className="number">{countText(entry.items, "item")}</td>
                  <td className="number">{bytesText(entry.bytes)}</td>
                  <td className="ledger-place" title={entry.place}>
                    {shortPath(entry.place)}
                  </td>
                  <td>{returnedText(entry)}</td>
                </tr>
              ))}
          </tbody>
        </Table>
      )}
    </section>
  );
}

/** What a drive got back, as it was measured. */
function returnedText({ what, freeBefore, freeAfter, skipped }: HistoryEntry): string {
  const stayed = skipped > 0 ? `${countText(skipped, "item")} stayed` : "";
  if (what !== "emptied" || freeBefore === undefined || freeAfter === undefined) return stayed;
  return `free space from ${bytesText(freeBefore)} to ${bytesText(freeAfter)}`;
}
