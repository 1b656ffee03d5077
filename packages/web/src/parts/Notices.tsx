import { useEffect, useState } from "react";
import Alert from "react-bootstrap/Alert";
import Button from "react-bootstrap/Button";
import type { Notice } from "../data/notices";
import { useWorkspace } from "../data/workspace";
import "./Notices.css";

const MOST = 2;
// Long enough to be read: some seconds, and more for a long one.
const SHOWN_MS = 8000;
const SHOWN_MS_A_LETTER = 60;

/** What the user should know once. Where nothing has to be done it goes by itself, but not while it is pointed at. */
function NoticeAlert({ notice: { id, text, action } }: { readonly notice: Notice }) {
  const { dismiss } = useWorkspace();
  const [isHeld, setHeld] = useState(false);
  const [sentence, ...details] = text.split("\n");
  useEffect(() => {
    if (action || isHeld) return;
    const timer = setTimeout(() => dismiss(id), SHOWN_MS + SHOWN_MS_A_LETTER * text.length);
    return () => clearTimeout(timer);
  }, [id, text, action, isHeld, dismiss]);
  return (
    <Alert
      variant="light"
      dismissible
      onClose={() => dismiss(id)}
      closeLabel="Dismiss"
      onMouseEnter={() => setHeld(true)}
      onMouseLeave={() => setHeld(false)}
      onFocus={() => setHeld(true)}
      onBlur={() => setHeld(false)}
    >
      <span>{sentence}</span>
      {details.length > 0 ? (
        <details>
          <summary>Details</summary>
          {details.join("\n")}
        </details>
      ) : null}
      {action ? (
        <Button
          size="sm"
          variant="outline-dark"
          onClick={() => {
            dismiss(id);
            action.run();
          }}
        >
          {action.label}
        </Button>
      ) : null}
    </Alert>
  );
}

/** The newest of what the user should know; what is older waits below. */
export function Notices() {
  const { notices } = useWorkspace();
  const waiting = notices.length - MOST;
  return (
    <div className="notices" role="status" aria-live="polite">
      {notices.slice(-MOST).map((notice) => (
        <NoticeAlert key={notice.id} notice={notice} />
      ))}
      {waiting > 0 ? <small>{waiting} more before</small> : null}
    </div>
  );
}
