import { mainComposition } from "@kinetocache/core";
import { useLiveQuery } from "dexie-react-hooks";
import { lazy, Suspense, useRef, useState } from "react";
import Dropdown from "react-bootstrap/Dropdown";
import { database } from "../data/database";
import { exportDocument, importDocument } from "../data/documents";
import { useWorkspace } from "../data/workspace";
import { download } from "./download";
import { refusalText } from "./refusal";

const NewComposition = lazy(() => import("./NewComposition"));

/** Which composition is open; bring one in, take one out. */
export function CompositionMenu() {
  const { document: open, composition, openDocument, removeOpen, notify } = useWorkspace();
  const file = useRef<HTMLInputElement>(null);
  const [isMaking, setIsMaking] = useState(false);
  const documents = useLiveQuery(() => database.documents.toArray()) ?? [];

  const toggle = useRef<HTMLButtonElement>(null);
  const close = () => {
    setIsMaking(false);
    toggle.current?.focus();
  };

  const bringIn = async (chosen: File | undefined) => {
    if (!chosen) return;
    try {
      const stored = await importDocument(await chosen.text());
      await openDocument(stored.id);
    } catch (error) {
      notify(refusalText(chosen.name, error));
    }
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
          {documents.map(({ id, name, history }) => {
            const { width, height } = mainComposition(history.states[history.position]!);
            return (
              <Dropdown.Item key={id} active={id === open.id} onClick={() => void openDocument(id)}>
                {name} <small>{`${width}×${height}`}</small>
              </Dropdown.Item>
            );
          })}
          <Dropdown.Divider />
          <Dropdown.Item onClick={() => setIsMaking(true)}>New composition…</Dropdown.Item>
          <Dropdown.Item onClick={() => file.current?.click()}>Import a composition file…</Dropdown.Item>
          <Dropdown.Item onClick={() => download(`${open.id}.json`, exportDocument(open))}>
            Export {composition.name}
          </Dropdown.Item>
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
      <input
        ref={file}
        type="file"
        accept=".json,application/json"
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
