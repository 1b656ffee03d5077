import Alert from "react-bootstrap/Alert";
import Button from "react-bootstrap/Button";
import { forgetEnd, restartEngine, useEngine } from "../data/engineStore";
import "./EngineFault.css";

/** Says that the preview engine ended, and what became of it. */
export function EngineFault() {
  const ended = useEngine((state) => state.ended);
  if (!ended) return null;
  return (
    <div className="notices engine-fault">
      {ended.isRunning ? (
        <Alert variant="light" dismissible onClose={forgetEnd} closeLabel="Dismiss">
          The preview engine stopped: {ended.reason}. Another one took its place; frames in memory are lost.
        </Alert>
      ) : (
        <Alert variant="light">
          The preview engine does not run: {ended.reason}.{" "}
          <Button size="sm" variant="outline-dark" onClick={restartEngine}>
            Try again
          </Button>
        </Alert>
      )}
    </div>
  );
}
