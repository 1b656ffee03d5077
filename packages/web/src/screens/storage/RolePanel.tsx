import {
  BROWSER_LOCATION,
  canHave,
  fitnessOf,
  OFFERED_ROLES,
  suggestRoles,
  type Assignment,
  type Needs,
  type Place,
  type Role,
  type Suggested,
} from "@kinetocache/core";
import { useEffect, useState } from "react";
import Button from "react-bootstrap/Button";
import Form from "react-bootstrap/Form";
import Table from "react-bootstrap/Table";
import { send, useEngine } from "../../data/engineStore";
import { assignRole } from "../../data/roles";
import { moveFrames } from "../../data/server";
import { useWorkspace } from "../../data/workspace";
import { bytesText } from "../../parts/format";
import { fasterDrives, folderOn, placeOf, testsOf, unmeasured, type Surroundings } from "./placement";
import { headroomText } from "./storageWords";

interface RoleRowProps {
  readonly role: Role;
  readonly places: readonly Place[];
  readonly needs: Needs;
  readonly assignment: Assignment;
  readonly suggested: Suggested | undefined;
  readonly onAssign: (role: Role, location: string | undefined) => void;
}

function RoleRow({ role, places, needs, assignment, suggested, onAssign }: RoleRowProps) {
  const present = places.find(({ id }) => id === assignment[role]);
  const fitness = present && fitnessOf(role, present, needs[role], places, assignment);
  const isTooSlow = fitness?.headroom !== undefined && fitness.headroom < 1;
  const against = fitness && [...(isTooSlow ? ["too slow for real time"] : []), ...fitness.conflicts];
  const notes = [
    ...(against ? [against.length > 0 ? against.join("; ") : "nothing"] : []),
    ...(needs[role].bytes > 0 ? [`all of it takes ${bytesText(needs[role].bytes)}`] : []),
  ];
  const isOther = suggested !== undefined && suggested.place.id !== present?.id;
  return (
    <tr>
      <td className="text-nowrap">{role}</td>
      <td>
        <Form.Select
          size="sm"
          aria-label={`Location for ${role}`}
          value={present?.id ?? ""}
          onChange={(event) => onAssign(role, event.target.value || undefined)}
        >
          {role === "disk cache" && present ? null : <option value="">nowhere yet</option>}
          {places
            .filter((place) => canHave(role, place))
            .map(({ id, name }) => (
              <option key={id} value={id}>
                {name}
              </option>
            ))}
        </Form.Select>
        {suggested ? (
          <p className="control-note">
            {isOther ? (
              <Button size="sm" variant="outline-dark" onClick={() => onAssign(role, suggested.place.id)}>
                Use {suggested.place.name}
              </Button>
            ) : (
              "Best as it is"
            )}
            : {suggested.why}
          </p>
        ) : null}
      </td>
      <td className="number">{fitness ? headroomText(fitness.headroom) : "–"}</td>
      <td>
        <small>{notes.join(" · ")}</small>
      </td>
    </tr>
  );
}

interface Asked {
  readonly from: Place;
  readonly to: Place;
  readonly bytes: number;
}

interface RolePanelProps {
  readonly surroundings: Surroundings;
  readonly assignment: Assignment;
  readonly needs: Needs;
  /** Offers a folder on a drive as a location. */
  readonly onPlace: (folder: string) => void;
}

/** Has the formats of some places measured one after the other; what is done otherwise meanwhile ends it. */
function useMeasuring() {
  const [waiting, setWaiting] = useState<readonly string[]>([]);
  const isMeasuring = useEngine((state) => state.status?.trial !== undefined);
  useEffect(() => {
    const [next, ...rest] = waiting;
    if (next === undefined || isMeasuring) return;
    send({ kind: "measureFormats", location: next });
    setWaiting(rest);
  }, [waiting, isMeasuring]);
  return { measure: setWaiting, isMeasuring: isMeasuring || waiting.length > 0 };
}

/** Which place has which role, how well it suits, and which would be best. */
export function RolePanel({ surroundings, assignment, needs, onPlace }: RolePanelProps) {
  const { settings, changeSettings, notify } = useWorkspace();
  const [isSuggesting, setSuggesting] = useState(false);
  const { measure, isMeasuring } = useMeasuring();
  const [asked, setAsked] = useState<Asked>();
  const usable = surroundings.locations.filter(({ condition }) => condition.kind === "open");
  const places = usable.map((location) => placeOf(location, surroundings));
  const suggestion = isSuggesting ? suggestRoles(places, needs, assignment) : undefined;
  const missing = suggestion ? unmeasured(surroundings) : [];
  const cachePlace = suggestion?.find(({ role }) => role === "disk cache")?.place;
  const cacheDrive = surroundings.drives.find(({ mount }) => mount === cachePlace?.drive);
  const cacheRate = cacheDrive && testsOf(surroundings.tests, cacheDrive).at(-1)?.readRate;
  const [faster] = cacheRate === undefined ? [] : fasterDrives(surroundings, cacheRate);

  const chooseForCache = (location: string) => {
    changeSettings({ diskCache: { ...settings.diskCache, location } });
    if (location !== BROWSER_LOCATION) return;
    // Unless it is asked not to, a browser clears such storage when its drive is nearly full.
    void navigator.storage.persist().then((isKept) => {
      if (!isKept) notify("The browser does not promise to keep these frames: it may clear them when space is short.");
    });
  };
  const assign = (role: Role, location: string | undefined) => {
    if (role !== "disk cache") {
      void assignRole(role, location).catch((error: unknown) => notify((error as Error).message));
      return;
    }
    const from = places.find(({ id }) => id === assignment[role]);
    const to = places.find(({ id }) => id === location);
    const contents = usable.find(({ id }) => id === from?.id)?.contents;
    if (!to) return;
    const canMove = from && contents !== undefined && contents.frames > 0;
    if (canMove) setAsked({ from, to, bytes: contents.bytes });
    else chooseForCache(to.id);
  };
  const answer = async (moves: boolean) => {
    const { from, to } = asked!;
    setAsked(undefined);
    chooseForCache(to.id);
    try {
      if (!moves) return;
      // What the browser keeps only the page can reach.
      if (from.isBrowser || to.isBrowser) send({ kind: "carry", from: from.id, to: to.id });
      else await moveFrames(from.id, to.id);
    } catch (error) {
      notify((error as Error).message);
    }
  };
  const takeAll = () => {
    for (const { role, place } of suggestion ?? []) if (assignment[role] !== place.id) assign(role, place.id);
  };

  return (
    <section className="sheet" aria-label="Roles">
      <h2>
        Roles <small>headroom: measured over needed, the margin included</small>
      </h2>
      {asked ? (
        <p role="alert">
          {bytesText(asked.bytes)} of frames are in {asked.from.name}.{" "}
          <Button size="sm" variant="dark" onClick={() => void answer(true)}>
            Move them to {asked.to.name}
          </Button>{" "}
          <Button size="sm" variant="outline-dark" onClick={() => void answer(false)}>
            Start empty
          </Button>{" "}
          <Button size="sm" variant="outline-dark" onClick={() => setAsked(undefined)}>
            Leave as it is
          </Button>
        </p>
      ) : null}
      <Table size="sm" className="devices">
        <thead>
          <tr>
            <th scope="col">Role</th>
            <th scope="col">Location</th>
            <th scope="col" className="number">
              Headroom
            </th>
            <th scope="col">Conflicts</th>
          </tr>
        </thead>
        <tbody>
          {OFFERED_ROLES.map((role) => (
            <RoleRow
              key={role}
              role={role}
              places={places}
              needs={needs}
              assignment={assignment}
              suggested={suggestion?.find((one) => one.role === role)}
              onAssign={assign}
            />
          ))}
        </tbody>
      </Table>
      <div className="sheet-row">
        <Button size="sm" variant="dark" onClick={() => setSuggesting(true)}>
          Suggest
        </Button>
        {suggestion ? (
          <>
            <Button size="sm" variant="outline-dark" onClick={takeAll}>
              Take all of it
            </Button>
            <Button size="sm" variant="outline-dark" onClick={() => setSuggesting(false)}>
              Close
            </Button>
          </>
        ) : null}
      </div>
      {missing.length > 0 ? (
        <p className="control-note">
          Not measured with frames of this composition: {missing.map(({ name }) => name).join(", ")}.{" "}
          <Button
            size="sm"
            variant="outline-dark"
            disabled={isMeasuring}
            onClick={() => measure(missing.map(({ id }) => id))}
          >
            Measure what is missing
          </Button>
        </p>
      ) : null}
      {faster ? (
        <p className="control-note">
          {faster.simulated ? faster.device : faster.mount} reads faster and has no location.{" "}
          <Button size="sm" variant="outline-dark" onClick={() => onPlace(folderOn(faster))}>
            Put a location there
          </Button>
        </p>
      ) : null}
    </section>
  );
}
