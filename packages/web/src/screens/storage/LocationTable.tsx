import { playsFromDrive, type Assignment, type Drive, type Needs } from "@kinetocache/core";
import { joiResolver } from "@hookform/resolvers/joi";
import Joi from "joi";
import { useEffect } from "react";
import Button from "react-bootstrap/Button";
import Form from "react-bootstrap/Form";
import Table from "react-bootstrap/Table";
import { useForm } from "react-hook-form";
import { usedBytes } from "../../data/room";
import type { LocationView } from "../../data/locations";
import { registerFolder } from "../../data/server";
import { useWorkspace } from "../../data/workspace";
import { FolderInput } from "../../parts/FolderInput";
import { bytesText } from "../../parts/format";
import { fullPath } from "../../parts/pathFields";
import { driveOf, placeOf, rolesOf, type Surroundings } from "./placement";
import { forecastText } from "./storageWords";

function driveText(drive: Drive | undefined): string {
  if (!drive) return "in the browser's profile, with compositions and their clips";
  const what = drive.simulated ? `${drive.device}, simulated` : `${drive.mount}, ${drive.kind}`;
  return drive.isSystem ? `${what}, system` : what;
}

interface RowProps {
  readonly location: LocationView;
  readonly surroundings: Surroundings;
  readonly assignment: Assignment;
  readonly needs: Needs;
  readonly isChosen: boolean;
  readonly onChoose: () => void;
}

function LocationRow({ location, surroundings, assignment, needs, isChosen, onChoose }: RowProps) {
  const { id, name, path, contents, condition, holds } = location;
  const roles = rolesOf(id, assignment);
  const { readRate } = placeOf(location, surroundings);
  const plays = readRate === undefined ? undefined : playsFromDrive(readRate, needs["disk cache"].readRate);
  const used = contents ? usedBytes(contents) : 0;
  return (
    <tr>
      <td>
        <Form.Check
          type="radio"
          name="location"
          id={`location ${id}`}
          label={name}
          title={path}
          checked={isChosen}
          onChange={onChoose}
          className="location-name"
        />
        <small>{driveText(driveOf(location, surroundings.drives))}</small>
      </td>
      <td>{roles.length > 0 ? roles.join(", ") : <small>no role</small>}</td>
      {contents ? (
        <>
          <td className="number">
            {bytesText(used)} <small>of {bytesText(contents.settings.capBytes)}</small>
            <div className="cap-bar" aria-hidden="true">
              <span style={{ width: `${Math.min(100, (100 * used) / contents.settings.capBytes)}%` }} />
            </div>
          </td>
          <td>
            <small>{forecastText(contents, Date.now())}</small>
          </td>
        </>
      ) : (
        <td colSpan={2}>
          <small>{condition.kind === "open" ? "media is read from here" : condition.detail}</small>
        </td>
      )}
      <td className="number">
        {readRate === undefined ? "–" : `${bytesText(readRate)}/s`}
        <br />
        <small>{holds === "media" || plays === undefined ? "" : plays ? "real time" : "too slow"}</small>
      </td>
    </tr>
  );
}

interface NewLocation {
  readonly folder: string;
  readonly holds: "frames" | "media";
}

const newLocationSchema = Joi.object<NewLocation>({
  folder: fullPath,
  holds: Joi.string().valid("frames", "media").required(),
});

function AddFolder({ offered }: Pick<LocationTableProps, "offered">) {
  const { notify } = useWorkspace();
  const { control, register, handleSubmit, reset, setValue, setFocus, watch } = useForm<NewLocation>({
    defaultValues: { folder: "", holds: "frames" },
    resolver: joiResolver(newLocationSchema),
  });
  useEffect(() => {
    if (!offered) return;
    setValue("folder", offered.folder);
    setFocus("folder");
  }, [offered, setValue, setFocus]);
  const add = handleSubmit(({ folder, holds }) =>
    registerFolder(folder, holds).then(
      () => reset({ folder: "", holds }),
      (error: unknown) => notify((error as Error).message),
    ),
  );
  return (
    <Form className="sheet-row" onSubmit={(event) => void add(event)} noValidate>
      <FolderInput
        control={control}
        name="folder"
        label="Folder to add"
        placeholder="full path of an empty folder, or of a new one"
        use={watch("holds")}
      />
      <Form.Select size="sm" aria-label="What the folder is for" className="short-select" {...register("holds")}>
        <option value="frames">for frames</option>
        <option value="media">source media</option>
      </Form.Select>
      <Button size="sm" variant="outline-dark" type="submit">
        Add this folder
      </Button>
    </Form>
  );
}

interface LocationTableProps {
  readonly surroundings: Surroundings;
  readonly assignment: Assignment;
  readonly needs: Needs;
  readonly chosen: string;
  readonly onChoose: (id: string) => void;
  /** What was offered last as a new location; another object each time. */
  readonly offered: { readonly folder: string } | undefined;
}

/** Where frames and media are, how full each place is, and whether it can be played from. */
export function LocationTable({ surroundings, assignment, needs, chosen, onChoose, offered }: LocationTableProps) {
  return (
    <section className="sheet" aria-label="Locations">
      <h2>Locations</h2>
      <Table size="sm" className="devices">
        <thead>
          <tr>
            <th scope="col">Place</th>
            <th scope="col">Role</th>
            <th scope="col" className="number">
              Taken
            </th>
            <th scope="col">Forecast</th>
            <th scope="col" className="number">
              Reads
            </th>
          </tr>
        </thead>
        <tbody>
          {surroundings.locations.map((location) => (
            <LocationRow
              key={location.id}
              location={location}
              surroundings={surroundings}
              assignment={assignment}
              needs={needs}
              isChosen={location.id === chosen}
              onChoose={() => onChoose(location.id)}
            />
          ))}
        </tbody>
      </Table>
      <AddFolder offered={offered} />
    </section>
  );
}
