import { useMachine } from "../data/server";
import "./ServerGone.css";

/** On every screen, while the server does not answer: what it told is as it was. */
export function ServerGone() {
  const { error } = useMachine();
  if (!error) return null;
  return (
    <p className="server-gone" role="status">
      The server does not answer. Figures for drives, programs and swept folders are the last ones known.
    </p>
  );
}
