import { useEffect, useRef, useState } from "react";
import Modal from "react-bootstrap/Modal";
import Table from "react-bootstrap/Table";

export interface Shortcut {
  /** As in `KeyboardEvent.key`, with `Ctrl+` and `Shift+` before it where they must be held. */
  readonly keys: readonly string[];
  readonly label: string;
  readonly run: () => void;
}

const TYPING = "input:not([type=range]):not([type=checkbox]):not([type=radio]), textarea, select, [contenteditable]";
// A focused control keeps the keys that operate it.
const ARROWS = "input, select, textarea, [role=slider], [role=menu], [role=radiogroup]";

function nameOf(event: KeyboardEvent): string {
  const key = event.key.length === 1 ? event.key.toUpperCase() : event.key;
  const shifted = event.shiftKey && event.key.length > 1;
  const letter = event.shiftKey && /^[A-Z]$/.test(key) && (event.ctrlKey || event.metaKey);
  return `${event.ctrlKey || event.metaKey ? "Ctrl+" : ""}${shifted || letter ? "Shift+" : ""}${key}`;
}

function isForControl(event: KeyboardEvent): boolean {
  const target = event.target as HTMLElement;
  if (event.ctrlKey || event.metaKey) return target.matches(TYPING) && !target.matches("[type=number]");
  if (target.matches(TYPING)) return true;
  if (event.key === " " || event.key === "Enter")
    return target.matches("button, a, input, select, summary, [role=button], [role=tab]");
  return /^(Arrow|Home|End)/.test(event.key) && target.matches(ARROWS) && !target.matches("[data-timeline]");
}

/** Listens for a screen's shortcuts while it is shown. */
export function useShortcuts(shortcuts: readonly Shortcut[]): void {
  const latest = useRef(shortcuts);
  useEffect(() => {
    latest.current = shortcuts;
  });
  useEffect(() => {
    const listen = (event: KeyboardEvent) => {
      if (isForControl(event) || document.querySelector(".modal.show")) return;
      const name = nameOf(event);
      const shortcut = latest.current.find(({ keys }) => keys.includes(name));
      if (!shortcut) return;
      event.preventDefault();
      shortcut.run();
    };
    window.addEventListener("keydown", listen);
    return () => window.removeEventListener("keydown", listen);
  }, []);
}

const KEY_NAMES: Readonly<Record<string, string>> = {
  " ": "Space",
  ArrowLeft: "←",
  ArrowRight: "→",
  ArrowUp: "↑",
  ArrowDown: "↓",
  PageUp: "Page up",
  PageDown: "Page down",
};

function keyText(key: string): string {
  return (
    KEY_NAMES[key] ??
    key.replace("Ctrl+", "Ctrl ").replace("Shift+", "Shift ").replace("ArrowLeft", "←").replace("ArrowRight", "→")
  );
}

const asked = new EventTarget();

/** Opens the sheet of the screen that is shown. */
export function showShortcuts(): void {
  asked.dispatchEvent(new Event("show"));
}

/** The sheet that `?` and the rail open: what the present screen listens to. */
export function ShortcutsSheet({
  shortcuts,
  title,
}: {
  readonly shortcuts: readonly Pick<Shortcut, "keys" | "label">[];
  readonly title: string;
}) {
  const [open, setOpen] = useState(false);
  useEffect(() => {
    const listen = () => setOpen(true);
    asked.addEventListener("show", listen);
    return () => asked.removeEventListener("show", listen);
  }, []);
  const show = { keys: ["?"], label: "Show this sheet", run: () => setOpen(true) };
  useShortcuts([show]);
  return (
    <Modal show={open} onHide={() => setOpen(false)} animation={false} aria-labelledby="shortcuts-title">
      <Modal.Header closeButton>
        <Modal.Title id="shortcuts-title" as="h2">
          Keys on {title}
        </Modal.Title>
      </Modal.Header>
      <Modal.Body>
        <Table size="sm" className="mb-0">
          <thead className="visually-hidden">
            <tr>
              <th>Keys</th>
              <th>What they do</th>
            </tr>
          </thead>
          <tbody>
            {[...shortcuts, show].map(({ keys, label }) => (
              <tr key={label}>
                <td>
                  {keys.map((key) => (
                    <kbd key={key}>{keyText(key)}</kbd>
                  ))}
                </td>
                <td>{label}</td>
              </tr>
            ))}
          </tbody>
        </Table>
      </Modal.Body>
    </Modal>
  );
}
