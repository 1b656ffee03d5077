import { useEffect, useState } from "react";
import Modal from "react-bootstrap/Modal";
import Table from "react-bootstrap/Table";
import { useHotkeys, type Options } from "react-hotkeys-hook";

export interface Shortcut {
  /** What a key produces, in small letters, with `mod+` and `shift+` before it where they must be held. */
  readonly keys: readonly string[];
  readonly label: string;
  readonly run: () => void;
}

const TYPING = "input:not([type=range]):not([type=checkbox]):not([type=radio]), textarea, select, [contenteditable]";
// A focused control keeps the keys that operate it.
const ARROWS = "input, select, textarea, [role=slider], [role=menu], [role=radiogroup]";

function isForControl(event: KeyboardEvent): boolean {
  const target = event.target as HTMLElement;
  if (event.ctrlKey || event.metaKey) return target.matches(TYPING) && !target.matches("[type=number]");
  if (target.matches(TYPING)) return true;
  if (event.key === " " || event.key === "Enter")
    return target.matches("button, a, input, select, summary, [role=button], [role=tab]");
  return /^(Arrow|Home|End)/.test(event.key) && target.matches(ARROWS) && !target.matches("[data-timeline]");
}

const OPTIONS: Options = {
  preventDefault: true,
  enableOnFormTags: true,
  enableOnContentEditable: true,
  ignoreEventWhen: (event) => isForControl(event) || document.querySelector(".modal.show") !== null,
};

// What the space bar produces is no name: it goes by its place.
const SPACE = "space";

/** Listens for a screen's shortcuts while it is shown. */
export function useShortcuts(shortcuts: readonly Shortcut[]): void {
  const run = (key: string) => shortcuts.find(({ keys }) => keys.includes(key))?.run();
  const produced = shortcuts.flatMap(({ keys }) => keys).filter((key) => key !== SPACE);
  useHotkeys(produced, (_, { hotkey }) => run(hotkey), { ...OPTIONS, useKey: true });
  useHotkeys(SPACE, () => run(SPACE), OPTIONS);
}

const KEY_NAMES: Readonly<Record<string, string>> = {
  mod: /Mac/.test(navigator.userAgent) ? "Cmd" : "Ctrl",
  arrowleft: "←",
  arrowright: "→",
  arrowup: "↑",
  arrowdown: "↓",
  pageup: "Page up",
  pagedown: "Page down",
};

function keyText(key: string): string {
  return key
    .split("+")
    .map((part) => KEY_NAMES[part] ?? `${part.charAt(0).toUpperCase()}${part.slice(1)}`)
    .join(" ");
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
  // On most keyboards it takes the shift key.
  useHotkeys(["?", "shift+?"], () => setOpen(true), { ...OPTIONS, useKey: true });
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
            {[...shortcuts, { keys: ["?"], label: "Show this sheet" }].map(({ keys, label }) => (
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
