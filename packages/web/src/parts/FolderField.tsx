import type { PlaceUse } from "@kinetocache/core";
import { lazy, Suspense, useId, useRef, useState, type Ref } from "react";
import Button from "react-bootstrap/Button";
import Form from "react-bootstrap/Form";
import "./FolderField.css";

const FolderChooser = lazy(() => import("./FolderChooser"));

export interface FolderFieldProps {
  /** What it is called where no label beside it says so. */
  readonly label: string;
  readonly id?: string;
  readonly placeholder?: string;
  /** What the folder is for: what cannot be used for it says why. */
  readonly use?: PlaceUse;
  readonly value: string;
  readonly onChange: (path: string) => void;
  readonly field?: Ref<HTMLInputElement>;
  /** Id of a list of paths that are offered. */
  readonly list?: string;
  /** What is wrong with what is typed. */
  readonly fault?: string;
}

/** Path of a folder: typed, pasted, or chosen. */
export function FolderField({ label, id, placeholder, use, value, onChange, field, list, fault }: FolderFieldProps) {
  const faultId = useId();
  return (
    <div className="folder-field">
      <Form.Control
        ref={field}
        size="sm"
        id={id}
        className="mono"
        aria-label={id === undefined ? label : undefined}
        placeholder={placeholder}
        list={list}
        spellCheck={false}
        isInvalid={fault !== undefined}
        aria-describedby={fault === undefined ? undefined : faultId}
        value={value}
        onChange={(event) => onChange(event.target.value)}
      />
      <ChooseFolder label={label} use={use} value={value} onChoose={onChange} />
      {fault === undefined ? null : (
        <Form.Control.Feedback type="invalid" id={faultId}>
          {fault}
        </Form.Control.Feedback>
      )}
    </div>
  );
}

interface ChooseFolderProps {
  readonly label: string;
  readonly use?: PlaceUse;
  /** Where looking begins, as far as it is a folder. */
  readonly value: string;
  readonly onChoose: (path: string) => void;
}

/** A button with which a folder is chosen among those of the machine. */
export function ChooseFolder({ label, use, value, onChoose }: ChooseFolderProps) {
  const [isOpen, setOpen] = useState(false);
  const button = useRef<HTMLButtonElement>(null);
  const close = () => {
    setOpen(false);
    button.current?.focus();
  };
  const choose = (path: string) => {
    onChoose(path);
    close();
  };
  return (
    <>
      <Button
        ref={button}
        size="sm"
        variant="outline-dark"
        aria-label={`Choose: ${label}`}
        onClick={() => setOpen(true)}
      >
        Choose…
      </Button>
      {isOpen ? (
        <Suspense>
          <FolderChooser title={label} use={use} initial={value.trim()} onChoose={choose} onClose={close} />
        </Suspense>
      ) : null}
    </>
  );
}
