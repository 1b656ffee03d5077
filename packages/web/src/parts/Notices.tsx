import Alert from "react-bootstrap/Alert";
import { useWorkspace } from "../data/workspace";

/** What the user should know once. */
export function Notices() {
  const { notices, dismiss } = useWorkspace();
  return (
    <div className="notices" role="status" aria-live="polite">
      {notices.map(({ id, text }) => (
        <Alert key={id} variant="light" dismissible onClose={() => dismiss(id)} closeLabel="Dismiss">
          {text}
        </Alert>
      ))}
    </div>
  );
}
