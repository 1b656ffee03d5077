import type { ReactNode } from "react";
import ToggleButton from "react-bootstrap/ToggleButton";
import ToggleButtonGroup from "react-bootstrap/ToggleButtonGroup";
import "./Choice.css";

interface ChoiceProps<T extends string | number> {
  readonly name: string;
  readonly label: string;
  readonly note: string;
  readonly value: T;
  readonly options: readonly { readonly value: T; readonly label: string; readonly below?: ReactNode }[];
  readonly onChange: (value: T) => void;
}

/** A row of alternatives with what the present one means, and below each what it would give. */
export function Choice<T extends string | number>({ name, label, note, value, options, onChange }: ChoiceProps<T>) {
  return (
    <div className="control">
      <div className="control-head">
        <span id={`${name}-label`}>{label}</span>
        <span className="mono">{note}</span>
      </div>
      <ToggleButtonGroup
        type="radio"
        name={name}
        value={value}
        onChange={onChange}
        aria-labelledby={`${name}-label`}
        className="choice"
      >
        {options.map((option) => (
          <ToggleButton
            key={option.value}
            id={`${name}-${option.value}`}
            value={option.value}
            variant="outline-dark"
            size="sm"
          >
            {option.label}
            {option.below === undefined ? null : <small className="choice-below">{option.below}</small>}
          </ToggleButton>
        ))}
      </ToggleButtonGroup>
    </div>
  );
}
