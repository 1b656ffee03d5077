import { CutError, mainComposition, NAMED_RATES, rateName, type Cut, type ImportedCut } from "@kinetocache/core";
import { useId, useMemo, useState } from "react";
import Button from "react-bootstrap/Button";
import Form from "react-bootstrap/Form";
import Modal from "react-bootstrap/Modal";
import { addDocument } from "../data/documents";
import { useMediaListing } from "../data/media";
import { textOf } from "../data/notices";
import { composed, filesOf, readTimeline } from "../data/timelineImport";
import { filesNamed, needsRate } from "../data/timelines";
import { useWorkspace } from "../data/workspace";
import { countText, framesText } from "./format";
import "./TimelineImport.css";

interface TimelineImportProps {
  readonly fileName: string;
  readonly text: string;
  readonly onClose: () => void;
}

// Of a long list the rest is counted.
const MOST_LINES = 200;

type Read = { readonly cut: Cut } | { readonly problems: readonly string[] };

/** Makes a composition of another program's timeline: what it holds, whose files are found, and what is not taken. */
export default function TimelineImport({ fileName, text, onClose }: TimelineImportProps) {
  const { composition, document, openStored, notify } = useWorkspace();
  const id = useId();
  const [rate, setRate] = useState(() => rateName(composition.rate));
  const [progress, setProgress] = useState<string>();
  const [fault, setFault] = useState<string>();
  const [made, setMade] = useState<ImportedCut>();
  const listing = useMediaListing();
  const rates = Object.keys(NAMED_RATES);
  const read = useMemo((): Read => {
    try {
      return { cut: readTimeline(fileName, text, NAMED_RATES[rate] ?? composition.rate) };
    } catch (error) {
      return { problems: error instanceof CutError ? error.problems : [textOf(error)] };
    }
  }, [fileName, text, rate, composition.rate]);
  const cut = "cut" in read ? read.cut : undefined;
  const names = useMemo(() => (cut ? filesOf(cut) : []), [cut]);
  const files = useMemo(() => filesNamed(names, listing.data?.files ?? []), [names, listing.data]);

  const make = async () => {
    try {
      const result = await composed(cut!, files, document.depth, (done) =>
        setProgress(`Reading file ${done + 1} of ${files.size}…`),
      );
      const stored = await addDocument(result.document);
      await openStored(stored);
      if (result.leftOut.length === 0) {
        notify(`${stored.name} was made of ${fileName}: ${summary(cut!)}.`);
        onClose();
      } else setMade(result);
    } catch (error) {
      setFault(textOf(error));
    }
    setProgress(undefined);
  };

  const lost = names.filter((name) => !files.has(name));
  return (
    <Modal show onHide={onClose} animation={false} scrollable aria-labelledby={`${id}-title`}>
      <Modal.Header closeButton>
        <Modal.Title as="h2" id={`${id}-title`}>
          {made ? `${mainComposition(made.document).name} was made` : `Composition from ${fileName}`}
        </Modal.Title>
      </Modal.Header>
      <Modal.Body className="timeline-import">
        {needsRate(fileName) && !made ? (
          <Form.Group controlId={`${id}-rate`} className="amount">
            <Form.Label>Frames a second</Form.Label>
            <Form.Select size="sm" value={rate} onChange={(event) => setRate(event.target.value)}>
              {rates.includes(rate) ? null : <option>{rate}</option>}
              {rates.map((one) => (
                <option key={one}>{one}</option>
              ))}
            </Form.Select>
          </Form.Group>
        ) : null}
        {"problems" in read ? (
          <p className="control-warning" role="alert">
            {read.problems.join(" ")}
          </p>
        ) : null}
        {cut && !made ? (
          <>
            <p>
              <strong>{cut.name}</strong>: {summary(cut)}, at {rateName(cut.rate)} frames per second.
            </p>
            {listing.data ? (
              <>
                <p>
                  {files.size} of {countText(names.length, "file")} found in the folders of source media.
                  {lost.length > 0
                    ? " What is not found can be looked for later, under Media; until then its layers show nothing."
                    : ""}
                </p>
                <Lines title="Not found" lines={lost} />
                <Lines title="Not looked through" lines={listing.data.faults} />
              </>
            ) : (
              <p className={listing.error ? "control-warning" : undefined}>
                {listing.error
                  ? `The folders of source media cannot be looked through: ${listing.error.message}`
                  : "Looking through the folders of source media…"}
              </p>
            )}
          </>
        ) : null}
        {cut || made ? (
          <Lines title="Not taken" lines={(made ?? cut!).leftOut.map(({ place, what }) => `${place}: ${what}`)} />
        ) : null}
        {fault === undefined ? null : (
          <p className="control-warning" role="alert">
            {fault}
          </p>
        )}
      </Modal.Body>
      <Modal.Footer>
        <span className="control-note" role="status">
          {progress}
        </span>
        <Button size="sm" variant="outline-dark" onClick={onClose}>
          {made ? "Close" : "Cancel"}
        </Button>
        {made ? null : (
          <Button
            size="sm"
            variant="dark"
            disabled={!cut || progress !== undefined || (!listing.data && !listing.error)}
            onClick={() => void make()}
          >
            Make the composition
          </Button>
        )}
      </Modal.Footer>
    </Modal>
  );
}

function summary({ tracks }: Cut): string {
  const clips = tracks.flatMap((track) => track.clips);
  const last = clips.reduce((most, { range }) => Math.max(most, range.out), 0);
  return `${countText(clips.length, "clip")} on ${countText(tracks.length, "track")}, ${framesText(last)}`;
}

function Lines({ title, lines }: { readonly title: string; readonly lines: readonly string[] }) {
  if (lines.length === 0) return null;
  return (
    <section>
      <h3>{title}</h3>
      <ul>
        {lines.slice(0, MOST_LINES).map((line, index) => (
          <li key={index}>{line}</li>
        ))}
        {lines.length > MOST_LINES ? <li>and {lines.length - MOST_LINES} more</li> : null}
      </ul>
    </section>
  );
}
