import { useLiveQuery } from "dexie-react-hooks";
import { lazy, Suspense, useRef, useState } from "react";
import Dropdown from "react-bootstrap/Dropdown";
import { database } from "../data/database";
import { exportDocument, importDocument } from "../data/documents";
import { isTimelineName } from "../data/timelines";
import { useWorkspace } from "../data/workspace";
import { download } from "./download";
import { bytesText } from "./format";
import { refusalText } from "./refusal";

const NewComposition = lazy(() => import("./NewComposition"));
const TimelineImport = lazy(() => import("./TimelineImport"));

// Ten times that of one with ten thousand clips.
const LARGEST_TIMELINE = 160 * 2 ** 20;

/** Which composition is open; bring one in, take one out. */
export function CompositionMenu() {
  const { document: open, composition, openDocument, openStored, removeOpen, notify } = useWorkspace();
  const file = useRef<HTMLInputElement>(null);
  const [isMaking, setIsMaking] = useState(false);
  const documents = useLiveQuery(() => database.documents.toArray()) ?? [];

  const toggle = useRef<HTMLButtonElement>(null);
  const [timeline, setTimeline] = useState<{ readonly fileName: string; readonly text: string }>();
  const close = () => {
    setIsMaking(false);
    setTimeline(undefined);
    toggle.current?.focus();
  };

  const bringIn = async (chosen: File | undefined) => {
    if (!chosen) return;
    try {
      const isTimeline = isTimelineName(chosen.name);
      if (isTimeline && chosen.size > LARGEST_TIMELINE)
        throw new Error(`It has ${bytesText(chosen.size)}; a timeline has at most ${bytesText(LARGEST_TIMELINE)}`);
      const text = await chosen.text();
      if (isTimeline) {
        setTimeline({ fileName: chosen.name, text });
        return;
      }
      const stored = await importDocument(text);
      await openStored(stored);
    } catch (error) {
      notify(refusalText(chosen.name, error));
    }
  };

  /** Hands the open composition out as a timeline; what is not in it is said. */
  const handOut = async (ending: "otio" | "edl") => {
    const { documentCut, writeEditList, writeOtio } = await import("../data/timelineText");
    const cut = documentCut(open);
    if (cut.tracks.length === 0) {
      notify(`${composition.name} has no layers that show files, and those are what a timeline holds.`);
      return;
    }
    download(`${open.id}.${ending}`, ending === "otio" ? writeOtio(cut) : writeEditList(cut));
    if (cut.leftOut.length > 0)
      notify(["Not in the timeline:", ...cut.leftOut.map(({ place, what }) => `${place}: ${what}`)].join("\n"));
  };

  return (
    <>
      <Dropdown className="composition-menu">
        <Dropdown.Toggle
          ref={toggle}
          variant="link"
          className="strip-name"
          aria-label={`Composition ${composition.name}; choose another`}
        >
          <span title={composition.name}>{composition.name}</span>
        </Dropdown.Toggle>
        <Dropdown.Menu>
          {documents.map(({ id, name, width, height }) => (
            <Dropdown.Item key={id} active={id === open.id} onClick={() => void openDocument(id)}>
              {name} <small>{`${width}×${height}`}</small>
            </Dropdown.Item>
          ))}
          <Dropdown.Divider />
          <Dropdown.Item onClick={() => setIsMaking(true)}>New composition…</Dropdown.Item>
          <Dropdown.Item onClick={() => file.current?.click()}>Import a composition or timeline…</Dropdown.Item>
          <Dropdown.Item onClick={() => download(`${open.id}.json`, exportDocument(open))}>
            Export {composition.name}
          </Dropdown.Item>
          <Dropdown.Item onClick={() => void handOut("otio")}>Export its clips as OpenTimelineIO</Dropdown.Item>
          <Dropdown.Item onClick={() => void handOut("edl")}>Export its clips as an edit list</Dropdown.Item>
          <Dropdown.Item as="button" type="button" disabled={documents.length < 2} onClick={() => void removeOpen()}>
            Remove {composition.name}
          </Dropdown.Item>
        </Dropdown.Menu>
      </Dropdown>
      {isMaking ? (
        <Suspense>
          <NewComposition onClose={close} />
        </Suspense>
      ) : null}
      {timeline ? (
        <Suspense>
          <TimelineImport {...timeline} onClose={close} />
        </Suspense>
      ) : null}
      <input
        ref={file}
        type="file"
        accept=".json,application/json,.otio,.edl"
        hidden
        aria-label="Composition file"
        onChange={(event) => {
          void bringIn(event.target.files?.[0]);
          event.target.value = "";
        }}
      />
    </>
  );
}
