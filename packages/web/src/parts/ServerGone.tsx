import { useMachine } from "../data/server";
import "./ServerGone.css";

/** On every screen, while the server does not answer: what it told is as it was. */
export function ServerGone() {
  const { error } = useMachine();
  if (!error) return null;
  return (
    <p className="server-gone" role="status">
      The server does not answer. Figures of drives, programs and swept folders are as they were before.
    </p>
  );
}
