import { frameBudgetMs, isRealTime } from "@kinetocache/core";
import { useLiveQuery } from "dexie-react-hooks";
import { Trash2, TriangleAlert } from "lucide-react";
import { useState } from "react";
import Button from "react-bootstrap/Button";
import Form from "react-bootstrap/Form";
import Table from "react-bootstrap/Table";
import { Link } from "react-router";
import { database, type StoredTake } from "../../data/database";
import { useWorkspace } from "../../data/workspace";
import { agoText, bytesText, durationText, msText, percentText, rateText } from "../../parts/format";
import { Waiting } from "../../parts/Waiting";
import { ShortcutsSheet } from "../../parts/shortcuts";
import { differences } from "./differences";
import { TakeChart } from "./TakeChart";

function layerName(layer: string | null, names: ReadonlyMap<string, string>): string {
  return layer === null ? "Stacking the layers" : (names.get(layer) ?? layer);
}

/** One take in figures. */
function TakeColumn({ take, names }: { readonly take: StoredTake; readonly names: ReadonlyMap<string, string> }) {
  const { summary } = take;
  const late = take.frames
    .filter(({ shownMs, dueMs }) => shownMs === undefined || shownMs >= dueMs + take.budgetMs)
    .map(({ frame }) => frame);
  const renderMs = take.layerMs.reduce((sum, { ms }) => sum + ms, 0);
  return (
    <section className="sheet take" aria-label={`Take ${take.id}`}>
      <h2>
        Take {take.id} <small>{take.document.name}</small>
      </h2>
      <p className={`take-answer ${isRealTime(summary) ? "is-good" : "is-over"}`}>
        {isRealTime(summary) ? "Real time" : `${percentText(summary.onTimeShare)} on time`}
      </p>
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
        <dt>Frames not on time</dt>
        <dd className="frame-list">{late.length === 0 ? "none" : rangesText(late)}</dd>
      </dl>
      {take.disturbances && take.disturbances.length > 0 ? (
        <ul className="troubles">
          {take.disturbances.map((disturbance) => (
            <li key={disturbance}>
              <TriangleAlert size={14} aria-hidden="true" /> {disturbance}
            </li>
          ))}
        </ul>
      ) : null}
      <h3>Where the time went</h3>
      {take.layerMs.length === 0 ? (
        <p className="empty">Nothing was rendered.</p>
      ) : (
        <ul className="shares">
          {take.layerMs.slice(0, 6).map(({ layer, ms }) => (
            <li key={layer ?? ""}>
              <span>{layerName(layer, names)}</span>
              <span className="layer-bar" aria-hidden="true">
                <span style={{ width: `${(100 * ms) / take.layerMs[0]!.ms}%` }} />
              </span>
              <span className="mono">
                {durationText(ms)} · {percentText(ms / renderMs)}
              </span>
            </li>
          ))}
        </ul>
      )}
    </section>
  );
}

/** Frame numbers with runs drawn together: 3–9, 12. */
function rangesText(frames: readonly number[]): string {
  const runs: string[] = [];
  for (let i = 0; i < frames.length;) {
    const first = frames[i]!;
    while (frames[i + 1] === frames[i]! + 1) i++;
    runs.push(first === frames[i] ? String(first) : `${first}–${frames[i]}`);
    i++;
  }
  return runs.length > 10 ? `${runs.slice(0, 10).join(", ")} and ${runs.length - 10} more stretches` : runs.join(", ");
}

/** The screen that compares measured playback runs. */
export function Takes() {
  const { composition } = useWorkspace();
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
  // Without a choice the two latest stand side by side, the older on the left.
  const pair = (picked.length > 0 ? takes.filter(({ id }) => picked.includes(id)) : takes.slice(0, 2))
    .slice(0, 2)
    .reverse();
  const [first, second] = pair as [StoredTake, StoredTake | undefined];
  const changed = second ? differences(first, second) : [];
  const toggle = (id: number) =>
    setChosen((before) => (before.includes(id) ? before.filter((other) => other !== id) : [...before, id].slice(-2)));
  return (
    <main className="page">
      <div className="page-head">
        <h1>{answer(first, second)}</h1>
        <span>
          {composition.name} has a budget of {msText(frameBudgetMs(composition.rate))} a frame
        </span>
      </div>
      <div className="take-pair">
        <TakeColumn take={first} names={names} />
        {second ? <TakeColumn take={second} names={names} /> : null}
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
                  <th scope="col">Take {first.id}</th>
                  <th scope="col">Take {second.id}</th>
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
      <section className="sheet" aria-label="Shown times against due times">
        <h2>Shown after due, frame by frame</h2>
        <TakeChart first={first} second={second} />
      </section>
      <section className="sheet" aria-label="All takes">
        <Table size="sm" hover>
          <thead>
            <tr>
              <th scope="col">Compare</th>
              <th scope="col">Take</th>
              <th scope="col">Composition</th>
              <th scope="col" className="number">
                On time
              </th>
              <th scope="col" className="number">
                Rate
              </th>
              <th scope="col" className="number">
                Skipped
              </th>
              <th scope="col">Measured</th>
              <th scope="col">
                <span className="visually-hidden">Remove</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {takes.map((take) => (
              <tr key={take.id}>
                <td>
                  <Form.Check
                    aria-label={`Compare take ${take.id}`}
                    checked={pair.some(({ id }) => id === take.id)}
                    onChange={() => toggle(take.id)}
                  />
                </td>
                <td className="mono">{take.id}</td>
                <td>{take.document.name}</td>
                <td className="number">{percentText(take.summary.onTimeShare)}</td>
                <td className="number">{rateText(take.summary.reachedRate)} fps</td>
                <td className="number">{take.summary.skipped}</td>
                <td>{agoText(take.startedAtMs, Date.now())}</td>
                <td>
                  <Button
                    variant="link"
                    size="sm"
                    className="icon-button"
                    aria-label={`Remove take ${take.id}`}
                    onClick={() => void database.takes.delete(take.id)}
                  >
                    <Trash2 size={14} aria-hidden="true" />
                  </Button>
                </td>
              </tr>
            ))}
          </tbody>
        </Table>
      </section>
      <ShortcutsSheet shortcuts={[]} title="Takes" />
    </main>
  );
}

function answer(first: StoredTake, second: StoredTake | undefined): string {
  const share = (take: StoredTake) => percentText(take.summary.onTimeShare);
  if (!second) return `Take ${first.id}: ${share(first)} of frames on time`;
  return `From ${share(first)} to ${share(second)} of frames on time`;
}
