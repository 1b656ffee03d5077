import {
  BROWSER_LOCATION,
  DEFAULT_SWEEP_SETTINGS,
  emptiesAtMs,
  isSweepable,
  ledgerCsv,
  ledgerJson,
  LONGEST_HOLDING_DAYS,
  type ItemGroup,
  type OwnerMark,
  type SweepSettings,
} from "@kinetocache/core";
import { useState } from "react";
import Button from "react-bootstrap/Button";
import Form from "react-bootstrap/Form";
import Table from "react-bootstrap/Table";
import { Link } from "react-router";
import { changeBeside } from "../../data/documents";
import { send } from "../../data/engineStore";
import { useLocations, type LocationContents } from "../../data/locations";
import { useDocumentNames, useItemGroups } from "../../data/reach";
import { usedBytes } from "../../data/room";
import {
  changeSweepSettings,
  emptyBatch,
  holdFrames,
  restoreBatch,
  useHolds,
  useItems,
  useSweepSettings,
} from "../../data/server";
import { useWorkspace } from "../../data/workspace";
import { download } from "../../parts/download";
import { agoText, bytesText, durationText, framesText } from "../../parts/format";
import { NumberField } from "../../parts/NumberField";
import { Waiting } from "../../parts/Waiting";
import { ShortcutsSheet } from "../../parts/shortcuts";

const idOf = ({ owner, state }: ItemGroup) => `${owner}/${state}`;

interface DriveBarProps {
  readonly volume: LocationContents;
  readonly staleBytes: number;
}

/** The cache against its cap: live, stale, holding, room. */
function DriveBar({ volume, staleBytes }: DriveBarProps) {
  const { settings, bytes, holdingBytes, sequenceBytes } = volume;
  const { capBytes } = settings;
  const used = usedBytes(volume);
  const room = Math.max(0, capBytes - used);
  const parts = [
    { name: "Live cache", bytes: bytes - staleBytes, className: "part-live" },
    { name: "Stale", bytes: staleBytes, className: "part-stale" },
    { name: "Baked and brought in", bytes: sequenceBytes, className: "part-sequences" },
    { name: "Holding", bytes: holdingBytes, className: "part-holding" },
    { name: "Room", bytes: room, className: "part-room" },
  ];
  const shown = Math.max(capBytes, used);
  return (
    <>
      <div className="drive-bar" aria-hidden="true">
        {parts.map((part) =>
          part.bytes > 0 ? (
            <span key={part.name} className={part.className} style={{ flexGrow: part.bytes / shown }} />
          ) : null,
        )}
      </div>
      <ul className="drive-legend">
        {parts.map((part) => (
          <li key={part.name}>
            <span className={`swatch ${part.className}`} /> {part.name}{" "}
            <span className="mono">{bytesText(part.bytes)}</span>
          </li>
        ))}
      </ul>
    </>
  );
}

/** When holding empties itself. */
function HoldingDays() {
  const { notify } = useWorkspace();
  const settings = useSweepSettings();
  if (!settings) return null;
  const { emptyAfterDays } = settings;
  const change = (days: number | null) => {
    changeSweepSettings({ emptyAfterDays: days }).catch((error: unknown) => notify((error as Error).message));
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

/** When a batch goes for good by itself. */
function goesText(sweptMs: number, settings: SweepSettings | undefined): string {
  const at = settings && emptiesAtMs(sweptMs, settings);
  if (at === undefined) return "stays until you empty it";
  const leftMs = at - Date.now();
  return leftMs > 0 ? `goes in ${durationText(leftMs)}` : "goes within minutes";
}

const MARKS: readonly { readonly mark: OwnerMark; readonly label: string; readonly title: string }[] = [
  { mark: "kept", label: "Keep", title: "Never sweep any of it" },
  { mark: "delivered", label: "Delivered", title: "Done: its cached frames can go" },
];

interface MarksProps {
  readonly group: ItemGroup;
  readonly onMark: (owner: string, mark: OwnerMark | undefined) => void;
}

/** What is to become of all cached frames of a composition. */
function Marks({ group: { owner, name, mark }, onMark }: MarksProps) {
  return MARKS.map((one) => (
    <Button
      key={one.mark}
      size="sm"
      variant="outline-dark"
      active={mark === one.mark}
      aria-pressed={mark === one.mark}
      aria-label={`${one.label}: ${name}`}
      title={one.title}
      onClick={() => onMark(owner, mark === one.mark ? undefined : one.mark)}
    >
      {one.label}
    </Button>
  ));
}

/** Stale cache files: see them, move them to holding, get them back, let them go. */
export function Sweep() {
  const { document, notify } = useWorkspace();
  const { locations, error } = useLocations();
  const items = useItems();
  const holds = useHolds();
  const settings = useSweepSettings();
  const names = useDocumentNames();
  const groups = useItemGroups(items.data, document.id);
  const [choice, setChoice] = useState<ReadonlySet<string>>();
  const [busy, setBusy] = useState(false);

  // The browser's own storage has no holding; it is cleared in Storage.
  const folders = locations.filter(({ id, contents }) => contents !== undefined && id !== BROWSER_LOCATION);

  if (error && folders.length === 0) {
    return (
      <main className="page">
        <h1>The disk cache cannot be read</h1>
        <p>{error.message}</p>
      </main>
    );
  }
  if (folders.length === 0 || !items.data || !groups) return <Waiting for="Looking through the disk cache…" />;

  const stale = groups.filter(({ state }) => isSweepable(state));
  const chosen = groups.filter(
    (group) => group.state !== "kept" && (choice ? choice.has(idOf(group)) : isSweepable(group.state)),
  );
  const sum = (list: readonly { bytes: number }[]) => list.reduce((total, { bytes }) => total + bytes, 0);
  const staleKeys = new Set(stale.flatMap(({ keys }) => keys));
  const staleIn = (id: string) => sum(items.data!.filter(({ location, key }) => location === id && staleKeys.has(key)));
  const chosenBytes = sum(chosen);
  const rebuildMs = chosen.reduce((total, group) => total + (group.rebuildMs ?? 0), 0);
  const toggle = (group: ItemGroup) => {
    const next = new Set(chosen.map(idOf));
    if (!next.delete(idOf(group))) next.add(idOf(group));
    setChoice(next);
  };
  const mark = (owner: string, mark: OwnerMark | undefined) => {
    setChoice(undefined);
    changeBeside(owner, () => ({ mark })).catch((error: unknown) => notify((error as Error).message));
  };
  const run = async (work: () => Promise<unknown>) => {
    setBusy(true);
    try {
      await work();
      send({ kind: "diskChanged" });
      setChoice(undefined);
    } catch (error) {
      notify((error as Error).message);
    }
    setBusy(false);
  };

  return (
    <main className="page">
      <div className="page-head">
        <h1>{stale.length > 0 ? `${bytesText(sum(stale))} can go` : "Nothing is stale"}</h1>
        <span>
          of {bytesText(sum(items.data))} of cached frames.{" "}
          {chosen.length > 0 && rebuildMs > 0
            ? `Rendering the selected frames again would take about ${durationText(rebuildMs)}.`
            : ""}
        </span>
        <div className="page-action page-exports">
          <Button
            variant="outline-dark"
            disabled={groups.length === 0}
            title="The ledger, a line a frame"
            onClick={() => download("ledger.csv", ledgerCsv(items.data!, groups), "text/csv")}
          >
            CSV
          </Button>
          <Button
            variant="outline-dark"
            disabled={groups.length === 0}
            title="The ledger, for other tools"
            onClick={() => download("ledger.json", ledgerJson(items.data!, groups, Date.now()))}
          >
            JSON
          </Button>
        </div>
        <Button
          variant="dark"
          disabled={busy || chosen.length === 0}
          onClick={() => void run(() => holdFrames(chosen.flatMap(({ keys }) => keys)))}
        >
          {chosen.length > 0 ? `Move ${bytesText(chosenBytes)} to holding` : "Move to holding"}
        </Button>
      </div>
      {folders.map(({ id, name, contents }) => (
        <section className="sheet" aria-label={`Disk cache in ${name}`} key={id}>
          <div className="drive-head">
            <h2>
              Disk cache <small>{name}</small>
            </h2>
            <span className="mono">{bytesText(contents!.freeBytes)} free on the drive</span>
            <Link to="/storage">
              cap <span className="mono">{bytesText(contents!.settings.capBytes)}</span>
            </Link>
          </div>
          <DriveBar volume={contents!} staleBytes={staleIn(id)} />
        </section>
      ))}
      <section className="sheet" aria-label="Cached frames">
        {groups.length === 0 ? (
          <p className="empty">The disk cache is empty. Frames that Preview renders are stored here.</p>
        ) : (
          <Table size="sm" className="ledger">
            <thead>
              <tr>
                <th scope="col">
                  <span className="visually-hidden">Select</span>
                </th>
                <th scope="col">Composition</th>
                <th scope="col">State</th>
                <th scope="col">Why</th>
                <th scope="col" className="number">
                  Frames
                </th>
                <th scope="col" className="number">
                  Size
                </th>
                <th scope="col" className="number">
                  Last used
                </th>
                <th scope="col" className="number">
                  To rebuild
                </th>
                <th scope="col">
                  <span className="visually-hidden">Marks</span>
                </th>
              </tr>
            </thead>
            <tbody>
              {groups.map((group) => (
                <tr key={idOf(group)}>
                  <td>
                    <Form.Check
                      aria-label={`Select ${group.name}, ${group.state}`}
                      checked={chosen.includes(group)}
                      disabled={group.state === "kept"}
                      onChange={() => toggle(group)}
                    />
                  </td>
                  <td>
                    <strong>{group.name}</strong>
                  </td>
                  <td>
                    <span className={`state ${isSweepable(group.state) ? "is-stale" : ""}`}>{group.state}</span>
                  </td>
                  <td className="why">{group.reason}</td>
                  <td className="number">{group.keys.length.toLocaleString("en")}</td>
                  <td className="number">{bytesText(group.bytes)}</td>
                  <td className="number">{agoText(group.lastUsedMs, Date.now())}</td>
                  <td className="number">
                    {group.rebuildMs === undefined ? "cannot be" : durationText(group.rebuildMs)}
                  </td>
                  <td className="marks">{group.state === "orphaned" ? null : <Marks group={group} onMark={mark} />}</td>
                </tr>
              ))}
            </tbody>
          </Table>
        )}
      </section>
      <section className="sheet" aria-label="Holding">
        <h2>
          Holding{" "}
          <small>
            {holds.data && holds.data.length > 0
              ? `${bytesText(sum(holds.data))} not yet returned to the drive`
              : "empty"}
          </small>
        </h2>
        <HoldingDays />
        {holds.data && holds.data.length > 0 ? (
          <Table size="sm">
            <tbody>
              {holds.data.map((batch) => (
                <tr key={batch.id}>
                  <td>
                    {framesText(batch.frames)} of {batch.owners.map((owner) => names?.get(owner) ?? owner).join(", ")}
                  </td>
                  <td className="number">{bytesText(batch.bytes)}</td>
                  <td>
                    swept {agoText(batch.sweptMs, Date.now())}, {goesText(batch.sweptMs, settings)}
                  </td>
                  <td className="number">{durationText(batch.rebuildMs)} to rebuild</td>
                  <td className="marks">
                    <Button
                      size="sm"
                      variant="outline-dark"
                      disabled={busy}
                      onClick={() => void run(() => restoreBatch(batch.id))}
                    >
                      Bring back
                    </Button>
                    <Button
                      size="sm"
                      variant="outline-dark"
                      disabled={busy}
                      onClick={() => void run(() => emptyBatch(batch.id))}
                    >
                      Empty, {bytesText(batch.bytes)} for good
                    </Button>
                  </td>
                </tr>
              ))}
            </tbody>
          </Table>
        ) : (
          <p className="empty">Swept frames wait here; until it is emptied everything can be brought back.</p>
        )}
      </section>
      <ShortcutsSheet shortcuts={[]} title="Sweep" />
    </main>
  );
}
