import { formatName, judgeFormat, storedDepth, type FormatVerdict } from "@kinetocache/core";
import Button from "react-bootstrap/Button";
import Form from "react-bootstrap/Form";
import Table from "react-bootstrap/Table";
import { send, useEngine } from "../../data/engineStore";
import type { LocationView } from "../../data/locations";
import type { FormatTrials } from "../../data/trials";
import { useWorkspace } from "../../data/workspace";
import { STORE_POLICIES } from "../../engine/protocol/command";
import { roomOf } from "../../data/room";
import { formsNote } from "./storageWords";
import { agoText, bytesText, fractionText, framesText, secondsText } from "../../parts/format";

function VerdictRow({ verdict, name }: { readonly verdict: FormatVerdict; readonly name: string }) {
  return (
    <tr>
      <td>
        {verdict.packing}
        <br />
        <small>{name}</small>
      </td>
      <td className="number">{bytesText(verdict.storedBytes)}</td>
      <td className="number">{bytesText(verdict.writeRate)}/s</td>
      <td className="number">{bytesText(verdict.readRate)}/s</td>
      <td className="number">
        {secondsText(verdict.seconds)}
        <br />
        <small>{verdict.realTime ? "real time" : "too slow"}</small>
      </td>
    </tr>
  );
}

interface FormatPanelProps {
  readonly location: LocationView;
  readonly trials: FormatTrials | undefined;
}

/** What each format does at a location with frames of the open composition, and which frames are written at all. */
export function FormatPanel({ location, trials }: FormatPanelProps) {
  const { composition, document, settings, changeSettings } = useWorkspace();
  const isMeasuring = useEngine((state) => state.status?.trial !== undefined);
  const notWorth = useEngine((state) => state.status?.notWorthStoring ?? 0);
  const own = (trials?.results ?? []).filter((trial) => trial.location === location.id);
  const depth = storedDepth(trials?.depth ?? document.depth, location.contents?.settings.deepest ?? "float");
  const { diskCache } = settings;
  const change = (part: Partial<typeof diskCache>) => changeSettings({ diskCache: { ...diskCache, ...part } });
  return (
    <section className="sheet" aria-label="Formats">
      <h2>
        Formats{" "}
        <small>
          {own.length > 0
            ? `${framesText(own[0]!.frames)} of ${trials!.of.name} at ${fractionText(trials!.fraction)}, ${agoText(trials!.atMs, Date.now())}`
            : `not measured with ${composition.name} here yet`}
        </small>
      </h2>
      {own.length > 0 ? (
        <Table size="sm" className="devices tight">
          <thead>
            <tr>
              <th scope="col">Format</th>
              <th scope="col" className="number">
                A frame
              </th>
              <th scope="col" className="number">
                Writes
              </th>
              <th scope="col" className="number">
                Reads
              </th>
              <th scope="col" className="number">
                Fits
              </th>
            </tr>
          </thead>
          <tbody>
            {own.map((trial) => (
              <VerdictRow
                key={trial.packing}
                verdict={judgeFormat(trial, composition.rate, roomOf(location.contents))}
                name={trial.packing === "automatic" ? "either" : formatName(depth, trial.packing === "packed")}
              />
            ))}
          </tbody>
        </Table>
      ) : null}
      {own.length > 0 ? <p className="control-note">{formsNote(own)}</p> : null}
      <div className="sheet-row">
        <Button
          size="sm"
          variant="dark"
          disabled={isMeasuring || !location.contents}
          onClick={() => send({ kind: "measureFormats", location: location.id })}
        >
          Measure formats here
        </Button>
      </div>
      <Form.Label htmlFor="store-policy">Frames are written</Form.Label>
      <Form.Select
        id="store-policy"
        size="sm"
        value={diskCache.store}
        onChange={(event) => change({ store: event.target.value as (typeof STORE_POLICIES)[number] })}
      >
        {STORE_POLICIES.map((policy) => (
          <option key={policy}>{policy}</option>
        ))}
      </Form.Select>
      <Form.Check
        type="switch"
        id="store-slow"
        label="Also frames that read back slower than they render"
        checked={diskCache.storeSlow}
        onChange={(event) => change({ storeSlow: event.target.checked })}
      />
      <p className="control-note">
        {notWorth > 0
          ? `${framesText(notWorth)} were not written: rendering them is quicker than reading them back.`
          : "So far every frame was worth writing."}
      </p>
    </section>
  );
}
