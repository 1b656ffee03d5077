import Alert from "react-bootstrap/Alert";
import Button from "react-bootstrap/Button";
import { useWorkspace } from "../data/workspace";

/** What the user should know once. */
export function Notices() {
  const { notices, dismiss } = useWorkspace();
  return (
    <div className="notices" role="status" aria-live="polite">
      {notices.map(({ id, text, action }) => (
        <Alert key={id} variant="light" dismissible onClose={() => dismiss(id)} closeLabel="Dismiss">
          {text}
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
      ))}
    </div>
  );
}
