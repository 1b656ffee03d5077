import type { FolderListing, FolderStart, PlaceUse } from "@kinetocache/core";
import { ChevronRight, Folder, HardDrive, History, House } from "lucide-react";
import { useEffect, useMemo, useRef, useState, type FormEvent, type KeyboardEvent } from "react";
import Button from "react-bootstrap/Button";
import Form from "react-bootstrap/Form";
import Modal from "react-bootstrap/Modal";
import TreeView, { type INodeRendererProps } from "react-accessible-treeview";
import { folderStarts, listFolders, makeFolder } from "../data/folderChoice";
import "./FolderChooser.css";
import { pathBelow, startFor, treeOf, wayTo, type FolderNode, type Listings } from "./folderTree";
import { bytesText, countText } from "./format";
import { LongText } from "./LongText";

interface FolderChooserProps {
  readonly title: string;
  readonly use: PlaceUse | undefined;
  /** What is typed already. */
  readonly initial: string;
  readonly onChoose: (path: string) => void;
  readonly onClose: () => void;
}

/** Where one looks, and what is seen there. */
interface Look {
  readonly start: string;
  readonly listings: Listings;
  readonly opened: readonly string[];
  readonly chosen: string;
  /** Raised when the tree is to be drawn anew, opened as said here. */
  readonly turn: number;
}

const ICONS = { home: House, drive: HardDrive, recent: History };

function startText({ path, kind, name = path, freeBytes }: FolderStart): string {
  if (kind === "home") return "Home";
  return freeBytes === undefined ? name : `${name}, ${bytesText(freeBytes)} free`;
}

/** A dialog in which a folder of the machine is chosen, or made. */
export default function FolderChooser({ title, use, initial, onChoose, onClose }: FolderChooserProps) {
  const [starts, setStarts] = useState<readonly FolderStart[]>();
  const [look, setLook] = useState<Look>();
  const [name, setName] = useState("");
  const [fault, setFault] = useState<string>();
  const turns = useRef(0);

  const attempt = async (work: () => Promise<void>) => {
    try {
      setFault(undefined);
      await work();
    } catch (error) {
      setFault((error as Error).message);
    }
  };

  /** Lists what lies on the way to a folder, as far as there is one. */
  const lookAt = async (start: string, folder: string) => {
    const turn = ++turns.current;
    const listings = new Map<string, FolderListing>();
    for (const at of wayTo(start, folder)) {
      const listing = await listFolders(at, use).catch((error: unknown) => {
        if (listings.size === 0) throw error;
      });
      if (!listing) break;
      listings.set(at, listing);
    }
    const opened = [...listings.keys()];
    // Another place may have been asked for meanwhile.
    if (turn === turns.current) setLook({ start, listings, opened, chosen: opened.at(-1) ?? start, turn });
  };

  const begin = async () => {
    const found = await folderStarts();
    setStarts(found);
    const start = startFor(found, initial);
    if (start !== undefined) await lookAt(start, wayTo(start, initial).length > 0 ? initial : start);
  };
  useEffect(() => void attempt(begin), []); // eslint-disable-line react-hooks/exhaustive-deps

  const list = async (folder: string) => {
    const listing = await listFolders(folder, use);
    setLook((now) => now && { ...now, listings: new Map(now.listings).set(folder, listing) });
  };
  const make = (event: FormEvent) => {
    event.preventDefault();
    event.stopPropagation();
    void attempt(async () => {
      const { start, chosen, opened } = look!;
      const called = name.trim();
      await makeFolder(chosen, called);
      await lookAt(start, pathBelow(chosen, called));
      setLook(
        (now) =>
          now && { ...now, opened: [...new Set([...opened, ...now.opened])].filter((at) => now.listings.has(at)) },
      );
      setName("");
    });
  };

  // The tree takes its place anew with each other list, and keys that were pressed meanwhile would be lost.
  const { start, listings } = look ?? {};
  const nodes = useMemo(() => (start !== undefined && listings ? treeOf(start, listings) : []), [start, listings]);
  const listing = look?.listings.get(look.chosen);
  const refusal = nodes.find(({ id }) => id === look?.chosen)?.metadata.refusal;
  return (
    <Modal show onHide={onClose} animation={false} size="lg" scrollable aria-labelledby="folder-chooser-title">
      <Modal.Header closeButton>
        <Modal.Title id="folder-chooser-title" as="h2">
          {title}
        </Modal.Title>
      </Modal.Header>
      <Modal.Body className="chooser-body">
        <div className="chooser-starts" role="group" aria-label="Where to look">
          {(starts ?? []).map((one) => {
            const Icon = ICONS[one.kind];
            return (
              <Button
                key={`${one.kind} ${one.path}`}
                size="sm"
                variant={one.path === look?.start ? "dark" : "outline-dark"}
                aria-pressed={one.path === look?.start}
                title={one.path}
                onClick={() => void attempt(() => lookAt(one.path, one.path))}
              >
                <Icon size="1em" aria-hidden /> <LongText text={startText(one)} />
              </Button>
            );
          })}
        </div>
        {look ? (
          <Tree
            key={look.turn}
            look={look}
            nodes={nodes}
            onList={(folder) => attempt(() => list(folder))}
            onSelect={(path) => setLook({ ...look, chosen: path })}
            onChoose={onChoose}
          />
        ) : (
          <p className="chooser-tree">{fault === undefined ? "Looking at the folders…" : ""}</p>
        )}
        {listing && listing.more > 0 ? (
          <p className="control-note">
            {countText(listing.more, "more folder")} in it are not listed: type the path of one of those.
          </p>
        ) : null}
        {fault === undefined ? null : (
          <p className="control-warning" role="alert">
            {fault}
          </p>
        )}
        <Form onSubmit={make} className="sheet-row">
          <Form.Control
            size="sm"
            aria-label="Name of a new folder"
            placeholder={look ? "name of a new folder in the chosen one" : ""}
            value={name}
            maxLength={255}
            onChange={(event) => setName(event.target.value)}
          />
          <Button size="sm" type="submit" variant="outline-dark" disabled={!look || name.trim() === ""}>
            Make folder
          </Button>
        </Form>
      </Modal.Body>
      <Modal.Footer className="chooser-foot">
        <p aria-live="polite">
          {look ? <LongText className="mono" text={look.chosen} /> : null}
          {refusal === undefined ? null : <small className="chooser-refusal">Cannot be chosen: {refusal}</small>}
        </p>
        <Button size="sm" variant="outline-dark" onClick={onClose}>
          Cancel
        </Button>
        <Button
          size="sm"
          variant="dark"
          disabled={!look || refusal !== undefined}
          onClick={() => onChoose(look!.chosen)}
        >
          Choose this folder
        </Button>
      </Modal.Footer>
    </Modal>
  );
}

interface TreeProps {
  readonly look: Look;
  readonly nodes: FolderNode[];
  readonly onList: (folder: string) => Promise<void>;
  readonly onSelect: (folder: string) => void;
  readonly onChoose: (folder: string) => void;
}

function Tree({ look, nodes, onList, onSelect, onChoose }: TreeProps) {
  const waitForFolders = (event: KeyboardEvent) => {
    const { dataset } = (event.target as HTMLElement).querySelector<HTMLElement>("[data-folder]") ?? {};
    const isOpen = (event.target as HTMLElement).getAttribute("aria-expanded") === "true";
    // There is no first folder in it to go to yet.
    if (event.key === "ArrowRight" && isOpen && !look.listings.has(dataset?.folder ?? "")) event.stopPropagation();
  };
  return (
    <div className="chooser-tree" onKeyDownCapture={waitForFolders}>
      <TreeView
        data={nodes}
        aria-label="Folders"
        nodeAction="select"
        defaultExpandedIds={look.opened.filter((at) => nodes.find(({ id }) => id === at)?.isBranch)}
        defaultSelectedIds={[look.chosen]}
        focusedId={look.chosen}
        onLoadData={({ element }) =>
          look.listings.has(String(element.id)) ? Promise.resolve() : onList(String(element.id))
        }
        onNodeSelect={({ element, isSelected }) => (isSelected ? onSelect(String(element.id)) : undefined)}
        nodeRenderer={(props) => <Row {...props} onChoose={onChoose} />}
      />
    </div>
  );
}

interface RowProps extends INodeRendererProps {
  readonly onChoose: (folder: string) => void;
}

function Row({ element, isBranch, isExpanded, getNodeProps, level, handleExpand, handleSelect, onChoose }: RowProps) {
  const { name, id, metadata } = element as unknown as FolderNode;
  return (
    <div
      {...getNodeProps({ onClick: handleSelect })}
      className={metadata.refusal === undefined ? "chooser-row" : "chooser-refused"}
      style={{ paddingInlineStart: `${level - 0.75}rem` }}
      title={metadata.refusal ?? id}
      data-folder={id}
      onDoubleClick={() => metadata.refusal === undefined && onChoose(id)}
    >
      {isBranch ? (
        <ChevronRight
          size="1em"
          className={isExpanded ? "chooser-open" : undefined}
          aria-hidden
          onClick={(event) => {
            event.stopPropagation();
            handleExpand(event as never);
          }}
        />
      ) : (
        <span className="chooser-leaf" />
      )}
      <Folder size="1em" aria-hidden /> {name}
      {metadata.bytes === undefined ? null : <small className="mono">{bytesText(metadata.bytes)}</small>}
      {metadata.refusal === undefined ? null : <small>cannot be chosen</small>}
    </div>
  );
}
