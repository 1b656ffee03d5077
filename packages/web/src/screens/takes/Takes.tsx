import { frameBudgetMs, isRealTime, isWithinNoise, rangesText, type Spread } from "@kinetocache/core";
import { useLiveQuery } from "dexie-react-hooks";
import { Trash2, TriangleAlert } from "lucide-react";
import { useState } from "react";
import Button from "react-bootstrap/Button";
import Form from "react-bootstrap/Form";
import Table from "react-bootstrap/Table";
import { Link, useNavigate } from "react-router";
import { database, type StoredTake } from "../../data/database";
import {
  describeTake,
  latestPair,
  partName,
  seriesOf,
  spreadOfSeries,
  takeCsv,
  takeJson,
  takeName,
  terrain,
} from "../../data/takes";
import { useWorkspace } from "../../data/workspace";
import { agoText, bytesText, durationText, msText, percentText, rateText } from "../../parts/format";
import { download } from "../../parts/download";
import { SortableTable, type Column } from "../../parts/SortableTable";
import { Waiting } from "../../parts/Waiting";
import { ShortcutsSheet } from "../../parts/shortcuts";
import { differences } from "./differences";
import { FrameChart } from "./FrameChart";
import { FrameStrips } from "./FrameStrips";
import "./Takes.css";

interface TakeColumnProps {
  readonly take: StoredTake;
  readonly names: ReadonlyMap<string, string>;
  readonly spread: Spread;
}

/** A take's name and note, changed when the field is left. */
function TakeWords({ take }: { readonly take: StoredTake }) {
  const keep = (change: Pick<StoredTake, "name" | "note">) => void describeTake(take.id, change);
  return (
    <div className="take-words">
      <Form.Control
        key={`name-${take.id}`}
        size="sm"
        aria-label={`Name of take ${take.id}`}
        placeholder={`Take ${take.id}`}
        maxLength={80}
        defaultValue={take.name ?? ""}
        onBlur={(event) => keep({ name: event.target.value.trim() })}
      />
      <Form.Control
        key={`note-${take.id}`}
        size="sm"
        aria-label={`Note on take ${take.id}`}
        placeholder="Note"
        maxLength={500}
        defaultValue={take.note ?? ""}
        onBlur={(event) => keep({ note: event.target.value.trim() })}
      />
    </div>
  );
}

function spreadText({ takes, least, most }: Spread): string {
  return `${takes} takes: ${percentText(least)} to ${percentText(most)} on time`;
}

/** One take in figures. */
function TakeColumn({ take, names, spread }: TakeColumnProps) {
  const { repeatTake, notify } = useWorkspace();
  const navigate = useNavigate();
  const { summary } = take;
  const late = take.frames
    .filter(({ shownMs, dueMs }) => shownMs === undefined || shownMs >= dueMs + take.budgetMs)
    .map(({ frame }) => frame);
  const renderMs = take.layerMs.reduce((sum, { ms }) => sum + ms, 0);
  return (
    <section className="sheet take" aria-label={`Take ${take.id}`}>
      <h2>
        {takeName(take)} <small>{take.document.name}</small>
      </h2>
      <TakeWords take={take} />
      <p className={`take-answer ${isRealTime(summary) ? "is-good" : "is-over"}`}>
        {isRealTime(summary) ? "Real time" : `${percentText(summary.onTimeShare)} on time`}
      </p>
      {spread.takes > 1 ? <p className="take-spread">{spreadText(spread)}</p> : null}
      <div className="button-row">
        <Button
          size="sm"
          variant="outline-dark"
          onClick={() =>
            void repeatTake(take, 3).then(
              () => navigate("/preview"),
              (error: Error) => notify(error.message),
            )
          }
        >
          Repeat 3 times
        </Button>
        <Button
          size="sm"
          variant="outline-dark"
          onClick={() => download(`${fileName(take)}.csv`, takeCsv(take), "text/csv")}
        >
          CSV
        </Button>
        <Button size="sm" variant="outline-dark" onClick={() => download(`${fileName(take)}.json`, takeJson(take))}>
          JSON
        </Button>
      </div>
      <dl className="figures">
        <dt>Rate reached</dt>
        <dd>
          {rateText(summary.reachedRate)} of {rateText(1000 / take.budgetMs)} fps
        </dd>
        <dt>Late · skipped</dt>
        <dd>
          {summary.late} · {summary.skipped} of {summary.frames} frames
        </dd>
        <dt>Longest stall</dt>
        <dd>{msText(summary.longestStallMs)}</dd>
        <dt>From memory</dt>
        <dd>{summary.hits.memory}</dd>
        <dt>From disk</dt>
        <dd>
          {summary.hits.disk} · {bytesText(summary.bytesRead)} read
        </dd>
        <dt>Rendered</dt>
        <dd>{summary.hits.rendered}</dd>
        {take.renderedFrames ? (
          <>
            <dt>A frame took, on average</dt>
            <dd>
              {msText(take.renderedFrames.meanMs)}
              {take.renderedFrames.expectedMs === undefined
                ? null
                : ` · ${msText(take.renderedFrames.expectedMs)} expected`}
            </dd>
          </>
        ) : null}
        <dt>Frames not on time</dt>
        <dd className="frame-list">{late.length === 0 ? "none" : rangesText(late, 10)}</dd>
      </dl>
      {take.disturbances && take.disturbances.length > 0 ? (
        <ul className="troubles">
          {take.disturbances.map((disturbance) => (
            <li key={disturbance}>
              <TriangleAlert size="0.875rem" aria-hidden="true" /> {disturbance}
            </li>
          ))}
        </ul>
      ) : null}
      <h3>Where the time went</h3>
      {take.layerMs.length === 0 ? (
        <p className="empty">Nothing was rendered.</p>
      ) : (
        <ul className="shares">
          {take.layerMs.slice(0, 6).map((part) => (
            <li key={`${part.layer ?? ""} ${part.isReading ? "reading" : ""}`}>
              <span>{partName(part, names)}</span>
              <span className="layer-bar" aria-hidden="true">
                <span style={{ width: `${(100 * part.ms) / take.layerMs[0]!.ms}%` }} />
              </span>
              <span className="mono">
                {durationText(part.ms)} · {percentText(part.ms / renderMs)}
              </span>
            </li>
          ))}
        </ul>
      )}
    </section>
  );
}

/** The screen that compares measured playback runs. */
export function Takes() {
  const { composition, document } = useWorkspace();
  const takes = useLiveQuery(() => database.takes.reverse().toArray());
  const [chosen, setChosen] = useState<readonly number[]>([]);
  if (!takes) return <Waiting for="Reading the takes…" />;
  if (takes.length === 0) {
    return (
      <main className="page">
        <h1>No take has been measured yet</h1>
        <p>
          Go to <Link to="/preview">Preview</Link> and press “Measure a take”: it plays the in–out range once and notes
          when each frame was shown.
        </p>
      </main>
    );
  }
  const names = new Map(composition.layers.map(({ id, name }) => [id, name]));
  const picked = chosen.filter((id) => takes.some((take) => take.id === id));
  // The older on the left.
  const pair = (picked.length > 0 ? takes.filter(({ id }) => picked.includes(id)) : latestPair(takes, document.id))
    .slice(0, 2)
    .reverse();
  const [first, second] = pair as [StoredTake, StoredTake | undefined];
  const changed = second ? differences(first, second) : [];
  const toggle = (id: number) =>
    setChosen((before) => (before.includes(id) ? before.filter((other) => other !== id) : [...before, id].slice(-2)));
  return (
    <main className="page">
      <div className="page-head">
        <h1>{answer(first, second, takes)}</h1>
        <span>
          {composition.name} has a budget of {msText(frameBudgetMs(composition.rate))} a frame
        </span>
      </div>
      <section className="sheet" aria-label="Shown times against due times">
        <FrameStrips takes={pair} />
      </section>
      <div className="take-pair">
        <TakeColumn take={first} names={names} spread={spreadOfSeries(first, takes)} />
        {second ? <TakeColumn take={second} names={names} spread={spreadOfSeries(second, takes)} /> : null}
        <section className="sheet" aria-label="What differed">
          <h2>What differed</h2>
          {!second ? (
            <p className="empty">Measure a second take to compare it with this one.</p>
          ) : changed.length === 0 ? (
            <p className="empty">Nothing: both takes ran under the same settings.</p>
          ) : (
            <Table size="sm" className="difference-table">
              <thead>
                <tr>
                  <th scope="col">Setting</th>
                  <th scope="col">{takeName(first)}</th>
                  <th scope="col">{takeName(second)}</th>
                </tr>
              </thead>
              <tbody>
                {changed.map(({ label, before, after }) => (
                  <tr key={label}>
                    <td>{label}</td>
                    <td className="mono">{before}</td>
                    <td className="mono">{after}</td>
                  </tr>
                ))}
              </tbody>
            </Table>
          )}
        </section>
      </div>
      <section className="sheet" aria-label="Cost of each frame">
        <h2>What each frame cost</h2>
        {first.costs || second?.costs ? (
          <FrameChart first={first} second={second} values={terrain} limit="frame budget" />
        ) : (
          <p className="empty">These takes were measured before costs were kept with them.</p>
        )}
      </section>
      <section className="sheet" aria-label="All takes">
        <SortableTable
          columns={columnsFor((take) => pair.some(({ id }) => id === take.id), toggle)}
          rows={takes}
          idOf={({ id }) => String(id)}
        />
      </section>
      <ShortcutsSheet shortcuts={[]} title="Takes" />
    </main>
  );
}

/** Columns of the list of all takes. */
function columnsFor(isCompared: (take: StoredTake) => boolean, toggle: (id: number) => void): Column<StoredTake>[] {
  return [
    {
      id: "compare",
      header: "Compare",
      cell: ({ row: { original: take } }) => (
        <Form.Check
          aria-label={`Compare take ${take.id}`}
          checked={isCompared(take)}
          onChange={() => toggle(take.id)}
        />
      ),
    },
    {
      header: "Take",
      accessorFn: takeName,
      meta: { title: ({ note }) => note },
      cell: ({ row: { original: take } }) => (
        <>
          {takeName(take)}
          {take.repeats === undefined ? null : <small> repeats {take.repeats}</small>}
        </>
      ),
    },
    {
      header: "Composition",
      accessorFn: ({ document }) => document.name,
      cell: ({ row }) => row.original.document.name,
    },
    {
      header: "On time",
      accessorFn: ({ summary }) => summary.onTimeShare,
      meta: { isNumber: true },
      cell: ({ row }) => percentText(row.original.summary.onTimeShare),
    },
    {
      header: "Rate",
      accessorFn: ({ summary }) => summary.reachedRate,
      meta: { isNumber: true },
      cell: ({ row }) => `${rateText(row.original.summary.reachedRate)} fps`,
    },
    {
      header: "Skipped",
      accessorFn: ({ summary }) => summary.skipped,
      meta: { isNumber: true },
      cell: ({ row }) => row.original.summary.skipped,
    },
    {
      header: "Measured",
      accessorFn: ({ startedAtMs }) => startedAtMs,
      cell: ({ row }) => agoText(row.original.startedAtMs, Date.now()),
    },
    {
      id: "remove",
      header: "Remove",
      meta: { isUnlabelled: true },
      cell: ({ row: { original: take } }) => (
        <Button
          variant="link"
          size="sm"
          className="icon-button"
          aria-label={`Remove take ${take.id}`}
          onClick={() => void database.takes.delete(take.id)}
        >
          <Trash2 size="0.875rem" aria-hidden="true" />
        </Button>
      ),
    },
  ];
}

function answer(first: StoredTake, second: StoredTake | undefined, takes: readonly StoredTake[]): string {
  const share = (take: StoredTake) => percentText(take.summary.onTimeShare);
  if (!second) return `${takeName(first)}: ${share(first)} of frames on time`;
  if (seriesOf(first, takes).includes(second))
    return `${share(first)} and ${share(second)} on time: the same take, repeated`;
  const isNoise = isWithinNoise(spreadOfSeries(first, takes), spreadOfSeries(second, takes));
  const verdict = isNoise === undefined ? "" : isNoise ? ", within noise" : ", more than noise";
  return `From ${share(first)} to ${share(second)} of frames on time${verdict}`;
}

function fileName({ id, document }: StoredTake): string {
  return `${document.id}-take-${id}`;
}
