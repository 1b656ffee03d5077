import {
  BROWSER_LOCATION,
  DEPTHS,
  EVICTION_RULES,
  formatLoss,
  isSweepable,
  LARGEST_CAP,
  PACKINGS,
  SMALLEST_CAP,
  type LocationSettings,
  type SweepItem,
} from "@kinetocache/core";
import { useEffect, useId, useMemo, useState } from "react";
import Button from "react-bootstrap/Button";
import Form from "react-bootstrap/Form";
import { Link } from "react-router";
import { send, useEngine } from "../../data/engineStore";
import { changeLocation, takenByCap, type LocationContents, type LocationView } from "../../data/locations";
import { useFrameItems } from "../../data/reach";
import { unregisterFolder, type OverCap } from "../../data/server";
import { holdSelection, restoreBatch, useFrames, useHolds, type PlacedFrame } from "../../data/sweep";
import { useWorkspace } from "../../data/workspace";
import { bytesText, durationText, framesText } from "../../parts/format";
import { LongText } from "../../parts/LongText";
import { NumberField } from "../../parts/NumberField";
import { stayedText } from "../sweep/sweepWords";

const GIB = 2 ** 30;

interface ChoiceProps<T extends string> {
  readonly label: string;
  readonly value: T;
  readonly options: readonly T[];
  readonly onChange: (value: T) => void;
}

function Choice<T extends string>({ label, value, options, onChange }: ChoiceProps<T>) {
  const id = useId();
  return (
    <>
      <Form.Label htmlFor={id}>{label}</Form.Label>
      <Form.Select id={id} size="sm" value={value} onChange={(event) => onChange(event.target.value as T)}>
        {options.map((option) => (
          <option key={option}>{option}</option>
        ))}
      </Form.Select>
    </>
  );
}

function useAttempt(): (work: () => Promise<unknown>) => Promise<void> {
  const { notify } = useWorkspace();
  return async (work) => {
    try {
      await work();
      send({ kind: "diskChanged" });
    } catch (error) {
      notify((error as Error).message);
    }
  };
}

interface SettingsProps {
  readonly id: string;
  readonly contents: LocationContents;
}

function Settings({ id, contents }: SettingsProps) {
  const { document, notify } = useWorkspace();
  const attempt = useAttempt();
  const { settings } = contents;
  // A cap that would take frames, until it is said that they may go.
  const [asked, setAsked] = useState<OverCap & { readonly capBytes: number }>();
  const setCap = ({ capBytes, isHeld }: NonNullable<typeof asked>) => {
    setAsked(undefined);
    void attempt(() => changeLocation(id, { capBytes }, isHeld ? { mayHold: true } : { mayRemove: true }));
  };
  const askForCap = (capBytes: number) =>
    attempt(async () => {
      const over = await takenByCap(id, contents, capBytes);
      if (over.bytes > 0) setAsked({ capBytes, ...over });
      else await changeLocation(id, { capBytes });
    });
  const change = (part: Partial<LocationSettings>) => void attempt(() => changeLocation(id, part));
  const loss = formatLoss(document.depth, settings.deepest);
  return (
    <>
      <div className="location-settings">
        <Form.Label htmlFor="cap">Cap</Form.Label>
        <NumberField
          id="cap"
          value={settings.capBytes / GIB}
          decimals={2}
          min={SMALLEST_CAP / GIB}
          max={LARGEST_CAP / GIB}
          step={0.5}
          unit="GB"
          onChange={(value) => void askForCap(Math.round(value * GIB))}
          onRefused={(typed) =>
            notify(
              `A cap of ${typed} GB is out of range: ${bytesText(SMALLEST_CAP)} up to the size of the drive. Nothing changed`,
            )
          }
        />
        <Choice
          label="Evict first"
          value={settings.rule}
          options={EVICTION_RULES}
          onChange={(rule) => change({ rule })}
        />
        <Choice
          label="Packing"
          value={settings.packing}
          options={PACKINGS}
          onChange={(packing) => change({ packing })}
        />
        <Choice
          label="Bit depth, at most"
          value={settings.deepest}
          options={DEPTHS}
          onChange={(deepest) => change({ deepest })}
        />
      </div>
      {asked ? (
        <div className="cap-question" role="alert">
          <p>
            A cap of {bytesText(asked.capBytes)} has no room for{" "}
            {asked.frames === undefined ? "frames" : framesText(asked.frames)}, {bytesText(asked.bytes)}.{" "}
            {asked.isHeld
              ? "They go to holding, where they do not count against the cap, and can be brought back once it has room."
              : "They are deleted for good."}
          </p>
          <div className="sheet-row">
            <Button size="sm" variant="dark" onClick={() => setCap(asked)}>
              {asked.isHeld ? "Hold" : "Remove"} {bytesText(asked.bytes)} and set the cap
            </Button>
            <Button size="sm" variant="outline-dark" onClick={() => setAsked(undefined)}>
              Leave the cap
            </Button>
          </div>
        </div>
      ) : null}
      {loss ? (
        <p className="control-warning">{loss}</p>
      ) : (
        <p className="control-note">Depth, alpha and data window are kept.</p>
      )}
      <Form.Check
        type="switch"
        id="clear-on-close"
        label={id === BROWSER_LOCATION ? "Clear when the page is opened next" : "Clear when Kinetocache stops"}
        checked={settings.clearOnClose}
        onChange={(event) => change({ clearOnClose: event.target.checked })}
      />
    </>
  );
}

/** What can be cleared at once. */
interface Part {
  readonly name: string;
  readonly keys: readonly string[];
  readonly bytes: number;
  readonly rebuildMs: number;
}

/** What the user keeps is no part of anything that is cleared. */
function partOf(name: string, items: readonly SweepItem[]): Part {
  const own = items.filter(({ state }) => state !== "kept");
  return {
    name,
    keys: own.map(({ id }) => id),
    bytes: own.reduce((sum, { bytes }) => sum + bytes, 0),
    rebuildMs: own.reduce((sum, { rebuildMs = 0 }) => sum + rebuildMs, 0),
  };
}

interface ClearProps {
  readonly frames: readonly PlacedFrame[] | undefined;
  readonly onClear: (part: Part) => void;
}

function Clear({ frames, onClear }: ClearProps) {
  const { document, stored } = useWorkspace();
  const items = useFrameItems(frames, document.id);
  if (!items) return <p className="control-note">Looking through the frames…</p>;
  const parts = [
    partOf(items.some(({ state }) => state === "kept") ? "all but kept" : "all", items),
    partOf(
      stored.name,
      items.filter(({ owner }) => owner === document.id),
    ),
    partOf(
      "stale only",
      items.filter(({ state }) => isSweepable(state)),
    ),
  ];
  return (
    <div className="clear-buttons">
      <span>Clear now</span>
      {parts.map((part) => (
        <Button
          key={part.name}
          size="sm"
          variant="outline-dark"
          disabled={part.keys.length === 0}
          title={`Rendering them again would take about ${durationText(part.rebuildMs)}`}
          onClick={() => onClear(part)}
        >
          {part.name} <span className="mono">{bytesText(part.bytes)}</span>
        </Button>
      ))}
    </div>
  );
}

function FolderClear({ id }: { readonly id: string }) {
  const attempt = useAttempt();
  const { notify } = useWorkspace();
  const all = useFrames().data;
  const frames = useMemo(() => all?.filter(({ location }) => location === id), [all, id]);
  const held = (useHolds().data ?? []).filter(({ place }) => place === id);
  const bytes = held.reduce((sum, batch) => sum + batch.bytes, 0);
  const bringBack = () =>
    void attempt(async () => {
      const stayed = [];
      for (const batch of held) stayed.push(...(await restoreBatch(batch.id)));
      if (stayed.length > 0) notify(stayedText(stayed));
    });
  return (
    <>
      <Clear frames={frames} onClear={({ keys }) => void attempt(() => holdSelection([{ place: id, ids: keys }]))} />
      {held.length > 0 ? (
        <p className="control-note">
          {bytesText(bytes)} wait in holding and still take space.{" "}
          <Button size="sm" variant="outline-dark" onClick={bringBack}>
            Bring them back
          </Button>{" "}
          <Link to="/sweep/holding">Empty in Sweep</Link>
        </p>
      ) : null}
    </>
  );
}

function BrowserClear() {
  const items = useEngine((state) => state.browserItems);
  const frames = useMemo(() => items?.map((item) => ({ ...item, location: BROWSER_LOCATION })), [items]);
  const bytes = useEngine((state) => state.browserDisk?.bytes);
  const [asked, setAsked] = useState<Part>();
  // What there is to clear changes with what is stored.
  useEffect(() => send({ kind: "browserDisk", withItems: true }), [bytes]);
  if (!asked) return <Clear frames={frames} onClear={setAsked} />;
  return (
    <p role="alert">
      {framesText(asked.keys.length)} go for good, {bytesText(asked.bytes)}; rendering them again would take about{" "}
      {durationText(asked.rebuildMs)}.{" "}
      <Button
        size="sm"
        variant="dark"
        onClick={() => {
          send({ kind: "clearBrowserDisk", keys: asked.keys });
          setAsked(undefined);
        }}
      >
        Clear
      </Button>{" "}
      <Button size="sm" variant="outline-dark" onClick={() => setAsked(undefined)}>
        Leave
      </Button>
    </p>
  );
}

interface LocationPanelProps {
  readonly location: LocationView;
  readonly roles: readonly string[];
}

/** What one location is set to, and what can be done with it. */
export function LocationPanel({ location, roles }: LocationPanelProps) {
  const { id, name, path, contents, condition } = location;
  const attempt = useAttempt();
  const isFixed = id === "main" || id === BROWSER_LOCATION;
  return (
    <section className="sheet" aria-label="Chosen location">
      <h2>
        <LongText text={path ?? name} />
        <small>{contents ? framesText(contents.frames) : ""}</small>
      </h2>
      {condition.kind === "open" ? null : <p className="control-warning">{condition.detail}</p>}
      {contents ? (
        <>
          <Settings key={id} id={id} contents={contents} />
          {id === BROWSER_LOCATION ? <BrowserClear /> : <FolderClear id={id} />}
        </>
      ) : null}
      {isFixed ? null : (
        <Button
          size="sm"
          variant="outline-dark"
          disabled={roles.length > 0}
          title={roles.length > 0 ? `It has the role of ${roles.join(" and ")}` : "Its files stay where they are"}
          onClick={() => void attempt(() => unregisterFolder(id))}
        >
          Remove from the list
        </Button>
      )}
    </section>
  );
}
