import { clipAdded, type ListedMedia, type ReferencedClip } from "@kinetocache/core";
import { joiResolver } from "@hookform/resolvers/joi";
import Joi from "joi";
import { lazy, Suspense, useDeferredValue, useRef, useState } from "react";
import Button from "react-bootstrap/Button";
import Form from "react-bootstrap/Form";
import { useForm } from "react-hook-form";
import { useEngine } from "../../data/engineStore";
import { bringIn, findMedia, foundByName, useMediaListing, useMediaPlaces } from "../../data/media";
import { textOf } from "../../data/notices";
import { registerFolder, useFolders, type FolderState } from "../../data/server";
import { useWorkspace } from "../../data/workspace";
import { FolderInput } from "../../parts/FolderInput";
import { bytesText, countText } from "../../parts/format";
import { fullPath } from "../../parts/pathFields";
import { useRows } from "../../parts/rows";
import { clipsMatching, mediaRows, notFoundText, type MediaRow } from "./mediaWords";
import "./MediaPanel.css";

const NewComposition = lazy(() => import("../../parts/NewComposition"));

// Must match the height of .media-choice, at the usual size of text.
const CHOICE_PX = 44;

/** What a listed clip is taken for. */
type Use = "layer" | "composition" | { readonly replace: string };

interface MediaPanelProps {
  /** Whether it is on show. */
  readonly active: boolean;
  readonly onAdded: (layer: string) => void;
}

/** Files that the open composition refers to, and clips that can be brought in. */
export function MediaPanel({ active, onAdded }: MediaPanelProps) {
  const { document } = useWorkspace();
  const missing = useEngine((state) => state.status?.missing);
  const places = useMediaPlaces();
  const folders = useFolders();
  const media = (folders.data ?? []).filter(({ holds }) => holds === "media");
  const [replaced, setReplaced] = useState<string>();
  const rows = mediaRows(document, missing ?? {}, places, media);
  return (
    <div className="panel-body">
      {rows.length > 0 ? (
        <ul className="waste-list" aria-label="Files of this composition">
          {rows.map((row) => (
            <FileRow
              key={row.asset}
              row={row}
              isReplaced={replaced === row.asset}
              onReplace={() => setReplaced(replaced === row.asset ? undefined : row.asset)}
            />
          ))}
        </ul>
      ) : (
        <p className="control-note">
          This composition refers to no files. A clip stays where it is: it is read from its folder as it is played.
        </p>
      )}
      {active ? (
        <Choices folders={media} replaced={replaced} onAdded={onAdded} onReplaced={() => setReplaced(undefined)} />
      ) : null}
    </div>
  );
}

interface FileRowProps {
  readonly row: MediaRow;
  readonly isReplaced: boolean;
  readonly onReplace: () => void;
}

/** One file, where it lies, and what can be done about it. */
function FileRow({ row, isReplaced, onReplace }: FileRowProps) {
  const { document, edit, notify } = useWorkspace();
  const [isLooking, setLooking] = useState(false);
  const missing = useEngine((state) => state.status?.missing);
  const look = async () => {
    setLooking(true);
    try {
      const found = await findMedia(document, Object.keys(missing ?? {}));
      const clips = await foundByName(document);
      const named = Object.values(clips).map((clip) => clip.file.name);
      if (named.length > 0) await edit({ kind: "clipsReplaced", clips });
      const all = [...found, ...named];
      notify(all.length > 0 ? `Found: ${all.join(", ")}.` : notFoundText(row));
    } catch (error) {
      notify(textOf(error));
    }
    setLooking(false);
  };
  return (
    <li>
      <div className="waste-head">
        <strong className="media-name" title={row.file.name}>
          {row.file.name}
        </strong>
        <span>{row.uses}</span>
      </div>
      <p className="mono media-facts">{row.facts}</p>
      <p className={row.fault === undefined ? "media-place" : "control-warning"} title={row.where}>
        {row.fault ?? row.where}
      </p>
      <span className="button-row">
        {row.fault === undefined ? null : (
          <Button size="sm" variant="dark" disabled={isLooking} onClick={() => void look()}>
            Look for it
          </Button>
        )}
        <Button size="sm" variant="outline-dark" active={isReplaced} aria-pressed={isReplaced} onClick={onReplace}>
          Replace…
        </Button>
      </span>
    </li>
  );
}

interface ChoicesProps {
  readonly folders: readonly FolderState[];
  /** The clip that another one is wanted for. */
  readonly replaced: string | undefined;
  readonly onAdded: (layer: string) => void;
  readonly onReplaced: () => void;
}

/** Clips in the folders of source media. */
function Choices({ folders, replaced, onAdded, onReplaced }: ChoicesProps) {
  const { document, edit, notify } = useWorkspace();
  const listing = useMediaListing();
  const [typed, setTyped] = useState("");
  const [busy, setBusy] = useState<ListedMedia>();
  const [made, setMade] = useState<ReferencedClip>();
  const filter = useDeferredValue(typed);
  const all = listing.data?.files ?? [];
  const shown = clipsMatching(all, filter);
  const take = async (file: ListedMedia, use: Use) => {
    setBusy(file);
    try {
      const { clip, notes } = await bringIn(file);
      if (use === "composition") setMade(clip);
      else if (use === "layer") {
        const added = clipAdded(document, clip);
        await edit(added);
        onAdded(added.layer.id);
      } else {
        await edit({ kind: "clipsReplaced", clips: { [use.replace]: clip } });
        onReplaced();
      }
      if (notes.length > 0) notify(`${clip.file.name}: ${notes.join(" ")}`);
    } catch (error) {
      notify(`${file.path} was not brought in. ${textOf(error)}`);
    }
    setBusy(undefined);
  };
  return (
    <section className="media-choices" aria-label="Clips to bring in">
      <div className="control-head">
        <span>{replaced === undefined ? "Bring in a clip" : "Choose what takes its place"}</span>
        <Button size="sm" variant="link" onClick={() => void listing.mutate()}>
          Look again
        </Button>
      </div>
      {folders.length > 0 ? (
        <Form.Control
          size="sm"
          type="search"
          aria-label="Part of a clip's name"
          placeholder={`part of a name, of ${countText(all.length, "clip")}`}
          value={typed}
          onChange={(event) => setTyped(event.target.value)}
        />
      ) : null}
      {listing.error ? <p className="control-warning">{listing.error.message}</p> : null}
      {listing.data?.faults.map((fault) => (
        <p key={fault} className="control-warning">
          {fault}
        </p>
      ))}
      {folders.length > 0 && listing.data && shown.length === 0 ? (
        <p className="control-note">
          {all.length === 0
            ? "There are no clips in the folders of source media: MP4, MOV, WebM and Matroska files are listed."
            : "No clip has that in its name."}
        </p>
      ) : null}
      <ChoiceList files={shown} busy={busy} replaced={replaced} onTake={(file, use) => void take(file, use)} />
      <AddMediaFolder isFirst={folders.length === 0} onAdded={() => void listing.mutate()} />
      {made ? (
        <Suspense>
          <NewComposition of={made} onClose={() => setMade(undefined)} />
        </Suspense>
      ) : null}
    </section>
  );
}

interface ChoiceListProps extends Pick<ChoicesProps, "replaced"> {
  readonly files: readonly ListedMedia[];
  readonly busy: ListedMedia | undefined;
  readonly onTake: (file: ListedMedia, use: Use) => void;
}

function ChoiceList({ files, busy, replaced, onTake }: ChoiceListProps) {
  const scroller = useRef<HTMLDivElement>(null);
  const { rows, rowHeight } = useRows({ count: files.length, scroller, heightPx: CHOICE_PX, overscan: 8 });
  const inView = rows.getVirtualItems();
  if (files.length === 0) return null;
  return (
    <div className="media-list" ref={scroller}>
      <ul style={{ paddingTop: inView[0]?.start, paddingBottom: rows.getTotalSize() - (inView.at(-1)?.end ?? 0) }}>
        {inView.map(({ index }) => {
          const file = files[index]!;
          const name = file.path.slice(file.path.lastIndexOf("/") + 1);
          return (
            <li
              key={`${file.location}/${file.path}`}
              className="media-choice"
              style={{ height: rowHeight }}
              aria-posinset={index + 1}
              aria-setsize={files.length}
            >
              <span className="media-name" title={file.path}>
                {name} <small>{bytesText(file.bytes)}</small>
              </span>
              <span className="media-uses">
                {replaced === undefined ? (
                  <>
                    <Button
                      size="sm"
                      variant="outline-dark"
                      disabled={busy !== undefined}
                      aria-label={`Add ${name} as a layer`}
                      onClick={() => onTake(file, "layer")}
                    >
                      {busy === file ? "Reading…" : "Add"}
                    </Button>
                    <Button
                      size="sm"
                      variant="outline-dark"
                      disabled={busy !== undefined}
                      aria-label={`New composition of ${name}`}
                      onClick={() => onTake(file, "composition")}
                    >
                      New…
                    </Button>
                  </>
                ) : (
                  <Button
                    size="sm"
                    variant="dark"
                    disabled={busy !== undefined}
                    aria-label={`Put ${name} in its place`}
                    onClick={() => onTake(file, { replace: replaced })}
                  >
                    Put in its place
                  </Button>
                )}
              </span>
            </li>
          );
        })}
      </ul>
    </div>
  );
}

const folderSchema = Joi.object<{ folder: string }>({ folder: fullPath });

/** Registers a folder from which media is read. */
function AddMediaFolder({ isFirst, onAdded }: { readonly isFirst: boolean; readonly onAdded: () => void }) {
  const { notify } = useWorkspace();
  const { control, handleSubmit, reset } = useForm<{ folder: string }>({
    defaultValues: { folder: "" },
    resolver: joiResolver(folderSchema),
  });
  const add = handleSubmit(({ folder }) =>
    registerFolder(folder, "media").then(
      () => {
        reset({ folder: "" });
        onAdded();
      },
      (error: unknown) => notify(textOf(error)),
    ),
  );
  return (
    <Form className="media-folder" onSubmit={(event) => void add(event)} noValidate>
      <p className="control-note">
        {isFirst
          ? "Register the folder in which your clips lie. It is only ever read."
          : "Clips elsewhere: register their folder, which is only ever read."}
      </p>
      <FolderInput control={control} name="folder" label="Folder with clips" placeholder="full path" use="media" />
      <Button size="sm" variant="outline-dark" type="submit">
        Register this folder
      </Button>
    </Form>
  );
}
