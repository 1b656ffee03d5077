import { frameBytes, mediaRate, needsOf, type Assignment, type Document } from "@kinetocache/core";
import { useMemo, useState } from "react";
import Button from "react-bootstrap/Button";
import { send, useEngine } from "../../data/engineStore";
import { useLocations } from "../../data/locations";
import { useRoles } from "../../data/roles";
import { useDrives } from "../../data/server";
import { formatsOf, useTrial } from "../../data/trials";
import { useWorkspace } from "../../data/workspace";
import { fractionText } from "../../parts/format";
import { ShortcutsSheet } from "../../parts/shortcuts";
import { Waiting } from "../../parts/Waiting";
import { DrivePanel } from "./DrivePanel";
import { FormatPanel } from "./FormatPanel";
import { LocationPanel } from "./LocationPanel";
import { LocationTable } from "./LocationTable";
import { rolesOf, type Surroundings } from "./placement";
import { RolePanel } from "./RolePanel";
import { storageAnswer } from "./storageWords";
import "./Storage.css";

/** Bytes and rate of the clips that a document brings along. Base64 takes four characters for three bytes. */
function mediaOf(document: Document): { readonly bytes: number; readonly rate: number } {
  const clips = Object.values(document.assets).flatMap((asset) => {
    if (asset.kind !== "clip") return [];
    const bytes = asset.file?.bytes ?? (asset.base64!.length * 3) / 4;
    return [{ bytes, frames: asset.duration, rate: asset.rate }];
  });
  return { bytes: clips.reduce((sum, { bytes }) => sum + bytes, 0), rate: mediaRate(clips) };
}

/** Where caches and media are, whether that plays back in real time, and what would be better. */
export function Storage() {
  const { composition, document, settings } = useWorkspace();
  const { locations, error } = useLocations();
  const drives = useDrives();
  const roles = useRoles();
  const trials = useTrial("formatTrial");
  const [chosen, setChosen] = useState<string>();
  const [offered, setOffered] = useState<{ readonly folder: string }>();
  const isMeasuring = useEngine((state) => state.status?.trial !== undefined);
  const media = useMemo(() => mediaOf(document), [document]);

  const readBack = useEngine((state) => state.status?.readRate);
  const { fraction } = settings;
  const bytes = frameBytes(composition, fraction, document.depth);
  const formats = formatsOf(trials, document.id, { fraction, depth: document.depth });
  const listing = drives.data ?? (error ? { drives: [], tests: [] } : undefined);
  if (!listing || !roles || locations.length === 0) return <Waiting for="Looking at the drives…" />;

  const surroundings: Surroundings = { locations, drives: listing.drives, tests: listing.tests, formats };
  const assignment: Assignment = { ...roles, "disk cache": settings.diskCache.location };
  const needs = needsOf(composition, fraction, document.depth, media);
  const answer = storageAnswer(surroundings, assignment, needs, composition.name, {
    readBack,
    frames: composition.duration,
    frameBytes: bytes,
  });
  const place = (folder: string) => setOffered({ folder });
  const cache = locations.find(({ id }) => id === settings.diskCache.location);
  const location = locations.find(({ id }) => id === (chosen ?? settings.diskCache.location)) ?? locations[0]!;
  return (
    <main className="page">
      <div className="page-head">
        <h1>{answer.sentence}</h1>
        <span>{answer.detail}</span>
        {answer.isMeasured || !cache?.contents ? null : (
          <Button
            variant="dark"
            className="page-action"
            disabled={isMeasuring}
            onClick={() => send({ kind: "measureFormats", location: cache.id })}
          >
            Measure it
          </Button>
        )}
      </div>
      {error ? <p className="control-warning">{error.message}</p> : null}
      <div className="screen-columns">
        <div>
          <LocationTable
            surroundings={surroundings}
            assignment={assignment}
            needs={needs}
            chosen={location.id}
            onChoose={setChosen}
            offered={offered}
          />
          <RolePanel surroundings={surroundings} assignment={assignment} needs={needs} onPlace={place} />
          <DrivePanel
            drives={listing.drives}
            tests={listing.tests}
            assignment={assignment}
            bytes={bytes}
            frames={`as ${composition.name} has at ${fractionText(fraction)}`}
            locations={locations}
            onPlace={place}
          />
        </div>
        <div>
          <LocationPanel location={location} roles={rolesOf(location.id, assignment)} />
          <FormatPanel location={location} trials={formats.length > 0 ? trials : undefined} />
        </div>
      </div>
      <ShortcutsSheet shortcuts={[]} title="Storage" />
    </main>
  );
}
