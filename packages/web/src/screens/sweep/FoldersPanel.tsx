import type { FolderReport } from "@kinetocache/core";
import { joiResolver } from "@hookform/resolvers/joi";
import Joi from "joi";
import { useEffect } from "react";
import Button from "react-bootstrap/Button";
import Form from "react-bootstrap/Form";
import { useForm } from "react-hook-form";
import { useJobs, isUnderWay } from "../../data/server";
import { useMarks } from "../../data/marks";
import {
  registerSweepFolder,
  scanFolder,
  setProjectFolders,
  unregisterSweepFolder,
  useOfferedFolders,
  useSweepFolders,
} from "../../data/sweep";
import { agoText, bytesText, countText, durationText, momentText } from "../../parts/format";
import { ChooseFolder } from "../../parts/FolderField";
import { FolderInput } from "../../parts/FolderInput";
import { LongText } from "../../parts/LongText";
import { fullPath, fullPaths, pathInside, pathsOf } from "../../parts/pathFields";
import { Waiting } from "../../parts/Waiting";
import { useAttempt } from "./attempt";

/** Folders of other programs' caches: which are registered, and where their projects live. */
export function FoldersPanel() {
  const folders = useSweepFolders();
  if (folders.error && !folders.data)
    return (
      <>
        <h1>Folders cannot be read</h1>
        <p>{folders.error.message}</p>
      </>
    );
  if (!folders.data) return <Waiting for="Looking at the folders…" />;
  const bytes = folders.data.reduce((sum, { itemBytes }) => sum + itemBytes, 0);
  return (
    <>
      <div className="page-head">
        <h1>
          {folders.data.length === 0
            ? "No folder of another program is registered"
            : `${bytesText(bytes)} of cache in ${countText(folders.data.length, "folder")}`}
        </h1>
        <span>Only registered folders are ever read or changed. Project folders are only read.</span>
      </div>
      {folders.data.map((folder) => (
        <FolderSheet key={folder.id} folder={folder} />
      ))}
      <Register />
    </>
  );
}

function FolderSheet({ folder }: { readonly folder: FolderReport }) {
  const { busy, run } = useAttempt();
  const jobs = useJobs();
  const isScanning = (jobs ?? []).some((job) => job.title === `Scanning ${folder.folder}` && isUnderWay(job));
  const forecast = folder.forecast?.fullAtMs;
  return (
    <section className="sheet" aria-label={`Folder ${folder.folder}`}>
      <div className="plan-head">
        <h2>
          <LongText text={folder.folder} />
        </h2>
        <div className="plan-actions">
          <Button
            size="sm"
            variant="dark"
            disabled={busy || isScanning}
            onClick={() => void run(() => scanFolder(folder.id, false))}
          >
            {isScanning ? "Scanning…" : "Scan again"}
          </Button>
          <Button
            size="sm"
            variant="outline-dark"
            disabled={busy || isScanning}
            title="Also check files in folders that look unchanged, in case one was rewritten in place"
            onClick={() => void run(() => scanFolder(folder.id, true))}
          >
            Scan everything
          </Button>
          <Button
            size="sm"
            variant="outline-dark"
            disabled={busy || folder.holdingBytes > 0}
            title={folder.holdingBytes > 0 ? "Part of it is in holding" : "Its files stay where they are"}
            onClick={() => void run(() => unregisterSweepFolder(folder.id))}
          >
            Remove from the list
          </Button>
        </div>
      </div>
      {folder.fault === undefined ? null : <p className="control-warning">It cannot be used now: {folder.fault}</p>}
      <p>
        {folder.scannedMs === undefined
          ? "Not scanned yet."
          : `${countText(folder.files, "file")}, ${bytesText(folder.totalBytes ?? 0)}; of them ${countText(folder.items, "cache item")}, ${bytesText(folder.itemBytes)}. Scanned ${agoText(folder.scannedMs, Date.now())}${folder.scanTookMs === undefined ? "" : `, in ${durationText(folder.scanTookMs)}`}${folder.isWatched ? "; changes are noticed" : ""}.`}{" "}
        {folder.freeBytes === undefined ? "" : `${bytesText(folder.freeBytes)} free on its drive.`}{" "}
        {forecast === undefined ? "" : `At the rate of the last days it is full on ${momentText(forecast)}.`}
      </p>
      <ProjectFolders folder={folder} />
      {folder.unreadableProjects.map((one) => (
        <p key={one} className="control-warning">
          {one} cannot be read now: so nothing is called orphaned.
        </p>
      ))}
      <KeptFolders place={folder.id} />
      {folder.blocked.length > 0 ? (
        <details>
          <summary>{countText(folder.blocked.length, "folder")} that a rule would take stay, and why</summary>
          <ul className="plan-skipped">
            {folder.blocked.map(({ path, reason }) => (
              <li key={path}>
                <span className="mono">{path}</span> {reason}
              </li>
            ))}
          </ul>
        </details>
      ) : null}
    </section>
  );
}

const projectsSchema = Joi.object<{ projects: string }>({ projects: fullPaths });

/** Where the projects live whose caches are in a folder. */
function ProjectFolders({ folder }: { readonly folder: FolderReport }) {
  const { busy, run } = useAttempt();
  const projects = folder.projects.join("\n");
  const { register, handleSubmit, reset, setValue, formState, watch } = useForm({
    defaultValues: { projects },
    resolver: joiResolver(projectsSchema),
  });
  const { isDirty } = formState;
  // What is typed stays while the folder is looked at again.
  useEffect(() => {
    if (!isDirty) reset({ projects });
  }, [isDirty, projects, reset]);
  const typed = watch("projects");
  const set = handleSubmit((form) =>
    run(async () => {
      const kept = await setProjectFolders(folder.id, pathsOf(form.projects));
      reset({ projects: kept.join("\n") });
    }),
  );
  const fault = formState.errors.projects?.message;
  const add = (path: string) => setValue("projects", [...pathsOf(typed), path].join("\n"), { shouldDirty: true });
  return (
    <Form onSubmit={(event) => void set(event)} noValidate>
      <Form.Label htmlFor={`projects-${folder.id}`}>
        Projects live in{" "}
        <small>
          one folder a line; {countText(folder.projectFiles, "project file")} found
          {folder.projects.length === 0 ? ". Without any, nothing is called orphaned" : ""}
        </small>
      </Form.Label>
      <div className="sheet-row">
        <Form.Control
          as="textarea"
          rows={Math.max(1, folder.projects.length)}
          id={`projects-${folder.id}`}
          className="mono"
          isInvalid={fault !== undefined}
          {...register("projects")}
        />
        <ChooseFolder label="Projects live in" use="projects" value={folder.folder} onChoose={add} />
        <Button size="sm" variant="outline-dark" type="submit" disabled={busy || !isDirty}>
          Set
        </Button>
      </div>
      {fault === undefined ? null : <p className="control-warning">{fault}</p>}
    </Form>
  );
}

const keepSchema = Joi.object<{ path: string }>({ path: pathInside });

/** Folders in it that are protected from everything. */
function KeptFolders({ place }: { readonly place: string }) {
  const marks = useMarks();
  const kept = marks.keptFolders.filter((one) => one.place === place);
  const { register, handleSubmit, reset, formState } = useForm({
    defaultValues: { path: "" },
    resolver: joiResolver(keepSchema),
  });
  const fault = formState.errors.path?.message;
  const add = handleSubmit(({ path }) => {
    if (!kept.some((one) => one.path === path)) marks.toggleFolder(place, path);
    reset();
  });
  return (
    <Form onSubmit={(event) => void add(event)} noValidate>
      <Form.Label htmlFor={`keep-${place}`}>
        Keep a folder <small>its path below this one; nothing in it is ever swept</small>
      </Form.Label>
      <div className="sheet-row">
        <Form.Control
          id={`keep-${place}`}
          size="sm"
          className="mono"
          isInvalid={fault !== undefined}
          {...register("path")}
        />
        <Button size="sm" variant="outline-dark" type="submit">
          Keep
        </Button>
      </div>
      {fault === undefined ? null : <p className="control-warning">{fault}</p>}
      {kept.map((one) => (
        <p key={one.path} className="kept-folder">
          <LongText className="mono" text={one.path} />
          <Button
            size="sm"
            variant="outline-dark"
            aria-label={`Stop keeping: ${one.path}`}
            onClick={() => marks.toggleFolder(place, one.path)}
          >
            Stop keeping
          </Button>
        </p>
      ))}
    </Form>
  );
}

interface Registration {
  readonly folder: string;
  readonly projects: string;
}

const registrationSchema = Joi.object<Registration>({ folder: fullPath, projects: fullPaths });

function Register() {
  const { busy, run } = useAttempt();
  const offered = useOfferedFolders().data ?? [];
  const { control, register, handleSubmit, reset, setValue, watch, formState } = useForm<Registration>({
    defaultValues: { folder: "", projects: "" },
    resolver: joiResolver(registrationSchema),
  });
  const typed = watch();
  const submit = handleSubmit(({ folder, projects }) =>
    run(async () => {
      await registerSweepFolder(folder, pathsOf(projects));
      reset();
    }),
  );
  const fault = formState.errors.projects?.message;
  const addProjects = (path: string) => setValue("projects", [...pathsOf(typed.projects), path].join("\n"));
  return (
    <section className="sheet" aria-label="Register a folder">
      <h2>Register a folder</h2>
      <Form onSubmit={(event) => void submit(event)} noValidate>
        <Form.Label htmlFor="register-folder">Full path of a cache folder, whatever wrote it</Form.Label>
        <FolderInput control={control} name="folder" id="register-folder" label="Cache folder" use="swept" />
        <Form.Label htmlFor="register-projects">
          Where its projects live <small>one folder a line; may stay empty</small>
        </Form.Label>
        <div className="sheet-row">
          <Form.Control
            as="textarea"
            rows={2}
            id="register-projects"
            className="mono"
            isInvalid={fault !== undefined}
            {...register("projects")}
          />
          <ChooseFolder label="Where its projects live" use="projects" value={typed.folder} onChoose={addProjects} />
          <Button type="submit" variant="dark" disabled={busy}>
            Register and scan
          </Button>
        </div>
        {fault === undefined ? null : <p className="control-warning">{fault}</p>}
      </Form>
      {offered.length > 0 ? (
        <>
          <h3>Simulated cache folders of the demo</h3>
          {offered.map((one) => (
            <p key={one.folder} className="kept-folder">
              <LongText className="mono" text={one.folder} />
              <Button
                size="sm"
                variant="outline-dark"
                disabled={busy}
                aria-label={`Register ${one.folder}`}
                onClick={() => void run(() => registerSweepFolder(one.folder, one.projects))}
              >
                Register and scan
              </Button>
            </p>
          ))}
        </>
      ) : null}
    </section>
  );
}
