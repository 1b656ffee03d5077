import {
  currentDocument,
  mediaFilesOf,
  type GatheredState,
  type Original,
  type Relinked,
  type WrapState,
} from "@kinetocache/core";
import { useLiveQuery } from "dexie-react-hooks";
import { joiResolver } from "@hookform/resolvers/joi";
import Joi from "joi";
import { useState } from "react";
import Button from "react-bootstrap/Button";
import Form from "react-bootstrap/Form";
import { useForm } from "react-hook-form";
import { database } from "../../data/database";
import { readDocument } from "../../data/documents";
import { handOver } from "../../data/handOver";
import {
  relinkGathered,
  reopenGathered,
  startWrap,
  useGatheredFolders,
  useWrapProjects,
  useWrapState,
} from "../../data/sweep";
import { useWorkspace } from "../../data/workspace";
import { bytesText, countText, durationText } from "../../parts/format";
import { FolderInput } from "../../parts/FolderInput";
import { fullPath } from "../../parts/pathFields";
import { Waiting } from "../../parts/Waiting";
import { useAttempt } from "./attempt";

const MOST_LISTED = 200;
// No full path begins with that.
const COMPOSITION = "composition:";

/** Id of the composition that is chosen; nothing when it is a project file. */
function compositionOf(chosen: string): string | undefined {
  return chosen.startsWith(COMPOSITION) ? chosen.slice(COMPOSITION.length) : undefined;
}

const STATES: Readonly<Record<Exclude<Original["state"], "there">, string>> = {
  missing: "missing",
  outside: "not in a registered folder: add its folder as source media on Storage",
};

/** Closes a job: originals in one folder, generated files to holding; and opens it again. */
export function WrapPanel() {
  const projects = useWrapProjects();
  const { document } = useWorkspace();
  const compositions = useLiveQuery(() => database.documents.toArray()) ?? [];
  const { run } = useAttempt();
  const [chosen, setChosen] = useState("");
  const [handed, setHanded] = useState<{ readonly id: string; readonly file: string }>();
  const composition = compositionOf(chosen);
  const file = composition === undefined ? chosen || undefined : handed?.id === composition ? handed.file : undefined;
  const stored = useLiveQuery(() => (composition === undefined ? undefined : readDocument(composition)), [composition]);
  const left = stored && stored.id === composition ? mediaFilesOf(currentDocument(stored.history)) : [];
  const found = useWrapState(file);
  // Until another project is known, what is known of the one before is still there.
  const state = found.data?.file === file ? found.data : undefined;
  const choose = (value: string) => {
    setChosen(value);
    setHanded(undefined);
    const id = compositionOf(value);
    if (id !== undefined) void run(async () => setHanded({ id, file: await handOver(id) }));
  };
  if (projects.error && !projects.data)
    return (
      <>
        <h1>Projects cannot be read</h1>
        <p>{projects.error.message}</p>
      </>
    );
  if (!projects.data) return <Waiting for="Looking for projects…" />;
  return (
    <>
      <div className="page-head">
        <h1>{answer(state, projects.data.length + compositions.length)}</h1>
        <span>Originals are copied and verified; they are never moved or deleted.</span>
      </div>
      <section className="sheet" aria-label="Wrap">
        <Form.Label htmlFor="wrap-project">
          Project <small>a composition, or of those found where projects of registered folders live</small>
        </Form.Label>
        <Form.Select id="wrap-project" size="sm" value={chosen} onChange={(event) => choose(event.target.value)}>
          <option value="">choose the project to wrap</option>
          <optgroup label="Compositions">
            {compositions.map(({ id, name }) => (
              <option key={id} value={`${COMPOSITION}${id}`}>
                {name}
              </option>
            ))}
          </optgroup>
          <optgroup label="Projects in folders">
            {projects.data.map((project) => (
              <option key={project.file} value={project.file}>
                {project.name}, {project.file}
              </option>
            ))}
          </optgroup>
        </Form.Select>
        {found.error && file !== undefined ? <p className="control-warning">{found.error.message}</p> : null}
        {left.length > 0 ? (
          <p className="control-warning">
            {countText(left.length, "clip")} {left.length === 1 ? "stays" : "stay"} in{" "}
            {left.length === 1 ? "its folder" : "their folders"} and {left.length === 1 ? "is" : "are"} not gathered:{" "}
            {left.map(({ name }) => name).join(", ")}.
          </p>
        ) : null}
        {state ? <Wrapping key={file} state={state} isOpen={composition === document.id} /> : null}
      </section>
      <Reopen />
    </>
  );
}

function answer(state: WrapState | undefined, projects: number): string {
  if (!state)
    return projects === 0 ? "No project was found to wrap" : `${countText(projects, "project")} can be wrapped`;
  const missing = state.missing > 0 ? `, ${state.missing} missing` : "";
  return `${state.name}: ${bytesText(state.originalBytes)} of originals, ${bytesText(state.generated.bytes)} generated${missing}`;
}

const folderSchema = Joi.object<{ folder: string }>({ folder: fullPath });

interface WrappingProps {
  readonly state: WrapState;
  /** Whether it is the composition that is open. */
  readonly isOpen: boolean;
}

function Wrapping({ state, isOpen }: WrappingProps) {
  const { notify } = useWorkspace();
  const { originals, generated, missing } = state;
  // With media missing, what was generated may be the only pictures that are left.
  const [wish, setSweeps] = useState<boolean>();
  const sweeps = wish ?? missing === 0;
  const { control, handleSubmit } = useForm({ defaultValues: { folder: "" }, resolver: joiResolver(folderSchema) });
  const start = handleSubmit(({ folder }) =>
    startWrap(state.file, folder, sweeps).catch((error: unknown) => notify((error as Error).message)),
  );
  return (
    <>
      <div className="wrap-parts">
        <div>
          <h3>
            Original <span className="mono">{bytesText(state.originalBytes)}</span>
          </h3>
          <ul className="plan-skipped" aria-label="Originals">
            {originals.slice(0, MOST_LISTED).map(({ file, reference, kind, bytes, state: found }) => (
              <li key={file} title={file}>
                <span className="mono">{reference}</span> {kind},{" "}
                {found === "there" ? bytesText(bytes) : <strong>{STATES[found]}</strong>}
              </li>
            ))}
            {originals.length > MOST_LISTED ? <li>and {countText(originals.length - MOST_LISTED, "other")}</li> : null}
          </ul>
        </div>
        <div>
          <h3>
            Generated <span className="mono">{bytesText(generated.bytes)}</span>
          </h3>
          <p>
            {countText(generated.items, "item")} of cache, baked frames, proxies and indexes.{" "}
            {generated.rebuildMs > 0
              ? `Rebuilding them would take about ${durationText(generated.rebuildMs)} (est.). `
              : ""}
            {generated.stays > 0
              ? `${countText(generated.stays, "item")} kept or in use ${generated.stays === 1 ? "stays" : "stay"}${isOpen ? ": open another composition, and what this one uses can go" : ""}. `
              : ""}
            Backups stay.
          </p>
        </div>
      </div>
      <Form onSubmit={(event) => void start(event)} noValidate>
        <Form.Label htmlFor="wrap-target">Gather the originals in a new or empty folder, by its full path</Form.Label>
        <div className="sheet-row">
          <FolderInput
            control={control}
            name="folder"
            id="wrap-target"
            label="Folder for the originals"
            use="gathered"
          />
          <Button type="submit" variant="dark">
            Wrap {state.name}
          </Button>
        </div>
        <Form.Check
          type="switch"
          id="wrap-sweeps"
          label={`Then move the generated ${bytesText(generated.bytes)} to holding, once every copy is verified`}
          checked={sweeps}
          onChange={(event) => setSweeps(event.target.checked)}
        />
        {missing > 0 ? (
          <p role="note">
            <strong>
              {countText(missing, "original")} {missing === 1 ? "is" : "are"} missing.
            </strong>{" "}
            What was generated may be the only pictures of {missing === 1 ? "it" : "them"} that are left
            {sweeps ? ", and would go to holding." : ", and stays."}
          </p>
        ) : null}
      </Form>
    </>
  );
}

function Reopen() {
  const gathered = useGatheredFolders().data ?? [];
  const gatheredForm = useForm({ defaultValues: { folder: "" }, resolver: joiResolver(folderSchema) });
  const sourceForm = useForm({ defaultValues: { folder: "" }, resolver: joiResolver(folderSchema) });
  const [state, setState] = useState<GatheredState>();
  const [found, setFound] = useState<readonly Relinked[]>();
  const { busy, run } = useAttempt();
  const open = gatheredForm.handleSubmit(({ folder }) =>
    run(async () => {
      setFound(undefined);
      setState(await reopenGathered(folder));
    }),
  );
  const relink = sourceForm.handleSubmit(({ folder }) =>
    run(async () => {
      const answer = await relinkGathered(state!.folder, folder);
      setFound(answer.found);
      setState(answer.state);
    }),
  );
  return (
    <section className="sheet" aria-label="Reopen">
      <h2>Reopen from a gathered folder</h2>
      <Form className="sheet-row" onSubmit={(event) => void open(event)} noValidate>
        <FolderInput
          control={gatheredForm.control}
          name="folder"
          label="Gathered folder"
          placeholder="Full path of a gathered folder"
          list="gathered-folders"
          use="gathered"
        />
        <datalist id="gathered-folders">
          {gathered.map((one) => (
            <option key={one} value={one} />
          ))}
        </datalist>
        <Button type="submit" variant="outline-dark" disabled={busy}>
          {busy ? "Comparing checksums…" : "Reopen"}
        </Button>
      </Form>
      {state ? (
        <>
          <p role="status">{gatheredText(state)}</p>
          {state.projectFile === undefined ? null : (
            <p>
              Open this in its program, or import it if it is a composition:{" "}
              <span className="mono">{state.projectFile}</span>
            </p>
          )}
          <ul className="plan-skipped" aria-label="Missing media">
            {state.missing.map(({ reference }) => (
              <li key={reference}>
                <span className="mono">{reference}</span> was missing when it was gathered
              </li>
            ))}
            {state.files
              .filter((file) => file.state !== "as it was")
              .map((file) => (
                <li key={file.path}>
                  <span className="mono">{file.path}</span> {file.state}
                </li>
              ))}
          </ul>
          {found ? (
            <p role="status">
              {found.length === 0
                ? "Nothing was found there."
                : `Relinked: ${found.map(({ reference, by }) => `${reference} by ${by}`).join(", ")}.`}
            </p>
          ) : null}
          {state.missing.length > 0 || state.files.some((file) => file.state === "gone") ? (
            <Form className="sheet-row" onSubmit={(event) => void relink(event)} noValidate>
              <FolderInput
                control={sourceForm.control}
                name="folder"
                label="Folder to look in"
                placeholder="Full path of a folder to look for it in"
                use="projects"
              />
              <Button type="submit" variant="outline-dark" disabled={busy}>
                Look for missing media
              </Button>
            </Form>
          ) : null}
        </>
      ) : null}
    </section>
  );
}

function gatheredText({ project, files, missing }: GatheredState): string {
  const count = (state: string) => files.filter((file) => file.state === state).length;
  const parts = [`${count("as it was")} of ${files.length} files of ${project} are as they were`];
  if (count("altered") > 0) parts.push(`${count("altered")} altered`);
  if (count("gone") > 0) parts.push(`${count("gone")} gone`);
  if (missing.length > 0) parts.push(`${missing.length} missing`);
  return `${parts.join(", ")}.`;
}
