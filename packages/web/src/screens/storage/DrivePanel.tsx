import type { Assignment, Drive, DriveTest } from "@kinetocache/core";
import { joiResolver } from "@hookform/resolvers/joi";
import Joi from "joi";
import { useEffect, useRef, useState } from "react";
import Button from "react-bootstrap/Button";
import Form from "react-bootstrap/Form";
import Table from "react-bootstrap/Table";
import { useForm } from "react-hook-form";
import { CartesianGrid, Line, LineChart, ResponsiveContainer, Tooltip, XAxis, YAxis } from "recharts";
import { usedBytes } from "../../data/room";
import type { LocationView } from "../../data/locations";
import { testDrive } from "../../data/server";
import { useWorkspace } from "../../data/workspace";
import { FolderInput } from "../../parts/FolderInput";
import { agoText, bytesText, momentText, msText } from "../../parts/format";
import { fullPath } from "../../parts/pathFields";
import { folderOn, rolesOf, testsOf } from "./placement";
import { contentsText, testNote } from "./storageWords";
import { Progress } from "../../parts/Progress";

// Enough frames that single ones do not matter, and no more than half a gigabyte.
const MOST_FRAMES = 120;
const MOST_BYTES = 2 ** 29;
const MIB = 2 ** 20;

/** The test of a drive that is under way. */
interface Running {
  readonly mount: string;
  readonly share: number;
}

function useDriveTest(bytes: number) {
  const { notify } = useWorkspace();
  const [running, setRunning] = useState<Running>();
  const ending = useRef<AbortController>(undefined);
  // Nobody could stop it any more.
  useEffect(() => () => ending.current?.abort(), []);
  const start = async (mount: string, folder: string) => {
    const ender = new AbortController();
    ending.current = ender;
    setRunning({ mount, share: 0 });
    const frames = Math.max(4, Math.min(MOST_FRAMES, Math.floor(MOST_BYTES / bytes)));
    const place = folder.trim() === "" ? {} : { folder: folder.trim() };
    try {
      const onProgress = (share: number) => setRunning({ mount, share });
      await testDrive({ mount, frameBytes: bytes, frames, ...place }, onProgress, ender.signal);
    } catch (error) {
      notify(ender.signal.aborted ? "The test was stopped; what it had written is removed." : (error as Error).message);
    } finally {
      setRunning(undefined);
    }
  };
  return { running, start, stop: () => ending.current?.abort() };
}

interface DriveRowProps {
  readonly drive: Drive;
  readonly tests: readonly DriveTest[];
  readonly roles: readonly string[];
  readonly isChosen: boolean;
  readonly onChoose: () => void;
}

function DriveRow({ drive, tests, roles, isChosen, onChoose }: DriveRowProps) {
  const last = tests.at(-1);
  return (
    <tr>
      <td>
        <Form.Check
          type="radio"
          name="drive"
          id={`drive ${drive.mount}`}
          label={drive.simulated ? drive.device : drive.mount}
          title={drive.mount}
          checked={isChosen}
          onChange={onChoose}
        />
      </td>
      <td>
        {drive.kind}
        <small>
          {drive.simulated ? " · simulated" : ""}
          {drive.isSystem ? " · system" : ""}
          {roles.map((role) => ` · ${role}`).join("")}
        </small>
      </td>
      <td className="number">
        {bytesText(drive.freeBytes)} <small>of {bytesText(drive.totalBytes)}</small>
      </td>
      <td className="number">{last ? `${bytesText(last.readRate)}/s` : "–"}</td>
      <td className="number">{last?.readWithMediaRate ? `${bytesText(last.readWithMediaRate)}/s` : "–"}</td>
      <td className="number">{last ? `${bytesText(last.writeRate)}/s` : "–"}</td>
      <td className="number">{last ? msText(last.frameMs) : "–"}</td>
    </tr>
  );
}

/** Rates of one drive over time. */
function DriveChart({ tests }: { readonly tests: readonly DriveTest[] }) {
  const data = tests.map(({ atMs, readRate, writeRate }) => ({
    when: momentText(atMs),
    read: Number((readRate / MIB).toFixed(1)),
    write: Number((writeRate / MIB).toFixed(1)),
  }));
  return (
    <ResponsiveContainer width="100%" height={150}>
      <LineChart data={data} margin={{ top: 8, right: 12, bottom: 0, left: 0 }}>
        <CartesianGrid stroke="var(--rule)" vertical={false} />
        <XAxis dataKey="when" stroke="var(--ink-2)" tick={{ fontSize: "0.6875rem" }} />
        <YAxis stroke="var(--ink-2)" tick={{ fontSize: "0.6875rem" }} width="auto" unit=" MB/s" />
        <Tooltip contentStyle={{ background: "var(--sheet)", borderColor: "var(--rule)", color: "var(--ink)" }} />
        <Line dataKey="read" name="reads" unit=" MB/s" stroke="var(--ink)" strokeWidth={2} isAnimationActive={false} />
        <Line
          dataKey="write"
          name="writes"
          unit=" MB/s"
          stroke="var(--disk)"
          strokeWidth={2}
          strokeDasharray="5 3"
          isAnimationActive={false}
        />
      </LineChart>
    </ResponsiveContainer>
  );
}

interface DrivePanelProps {
  readonly drives: readonly Drive[];
  readonly tests: readonly DriveTest[];
  readonly assignment: Assignment;
  /** Size of a frame of the open composition at the preview's size. */
  readonly bytes: number;
  /** Those frames in words. */
  readonly frames: string;
  readonly locations: readonly LocationView[];
  /** Offers a folder on a drive as a location. */
  readonly onPlace: (folder: string) => void;
}

/** The drives of the machine and the simulated ones, and how fast each was measured to be. */
export function DrivePanel({ drives, tests, assignment, bytes, frames, locations, onPlace }: DrivePanelProps) {
  const [chosen, setChosen] = useState<string>();
  const { running, start, stop } = useDriveTest(bytes);
  const holdsCache = (one: Drive) => one.locations.some((id) => id === assignment["disk cache"]);
  const drive = drives.find(({ mount }) => mount === chosen) ?? drives.find(holdsCache) ?? drives[0];
  const framesOn = (one: Drive) =>
    locations.reduce((sum, { id, contents }) => {
      return contents && one.locations.includes(id) ? sum + usedBytes(contents) : sum;
    }, 0);
  const own = drive ? testsOf(tests, drive) : [];
  const note = testNote(own);
  return (
    <>
      <section className="sheet" aria-label="Drives">
        <h2>
          Drives{" "}
          <small>
            measured with frames of {bytesText(bytes)}, {frames}
          </small>
        </h2>
        <Table size="sm" className="devices">
          <thead>
            <tr>
              <th scope="col">Drive</th>
              <th scope="col">Kind and use</th>
              <th scope="col" className="number">
                Free
              </th>
              <th scope="col" className="number">
                Reads
              </th>
              <th scope="col" className="number">
                With media
              </th>
              <th scope="col" className="number">
                Writes
              </th>
              <th scope="col" className="number">
                One frame
              </th>
            </tr>
          </thead>
          <tbody>
            {drives.map((one) => (
              <DriveRow
                key={one.mount}
                drive={one}
                tests={testsOf(tests, one)}
                roles={one.locations.flatMap((id) => rolesOf(id, assignment))}
                isChosen={one === drive}
                onChoose={() => setChosen(one.mount)}
              />
            ))}
          </tbody>
        </Table>
      </section>
      {drive ? (
        <section className="sheet" aria-label="Test of a drive">
          <h2>
            {drive.simulated ? drive.device : drive.mount}{" "}
            <small>
              {own.length > 0 ? `tested ${agoText(own.at(-1)!.atMs, Date.now())}` : ""}
              {own.length > 1 ? "; reads solid, writes dashed" : ""}
            </small>
          </h2>
          <p className="control-note">{contentsText(drive, framesOn(drive))}</p>
          {note ? <p className={own.length > 0 ? "control-warning" : "empty"}>{note}</p> : null}
          {own.length > 1 ? <DriveChart tests={own} /> : null}
          <TestForm
            drive={drive}
            isRunning={running !== undefined}
            onStart={(folder) => void start(drive.mount, folder)}
            onStop={stop}
            onPlace={() => onPlace(folderOn(drive))}
          />
          {running ? (
            <Progress now={running.share * 100} label={`Test of ${running.mount}`} />
          ) : (
            <p className="control-note">
              Frame-sized files are written there, read back alone and while others are read as media is, and removed.
              The last gigabyte of a drive is left alone.
            </p>
          )}
        </section>
      ) : null}
    </>
  );
}

interface TestFormProps {
  readonly drive: Drive;
  readonly isRunning: boolean;
  readonly onStart: (folder: string) => void;
  readonly onStop: () => void;
  readonly onPlace: () => void;
}

const testSchema = Joi.object<{ folder: string }>({ folder: fullPath.allow("") });

function TestForm({ drive, isRunning, onStart, onStop, onPlace }: TestFormProps) {
  const { control, handleSubmit } = useForm({ defaultValues: { folder: "" }, resolver: joiResolver(testSchema) });
  const start = handleSubmit(({ folder }) => onStart(folder));
  return (
    <Form className="sheet-row" onSubmit={(event) => void start(event)} noValidate>
      <FolderInput
        control={control}
        name="folder"
        label="Folder to test in"
        placeholder={drive.locations.length > 0 ? "the folder of a location" : drive.mount}
      />
      {isRunning ? (
        <Button size="sm" variant="outline-dark" onClick={onStop}>
          Stop
        </Button>
      ) : (
        <Button size="sm" variant="dark" type="submit">
          Test this drive
        </Button>
      )}
      <Button size="sm" variant="outline-dark" onClick={onPlace}>
        Put a location here
      </Button>
    </Form>
  );
}
