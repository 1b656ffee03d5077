import Form from "react-bootstrap/Form";
import InputGroup from "react-bootstrap/InputGroup";

interface NumberFieldProps {
  readonly value: number;
  readonly min: number;
  readonly max: number;
  readonly step: number;
  readonly unit: string;
  /** Decimals shown; as many as the value has when left out. */
  readonly decimals?: number;
  readonly id?: string;
  readonly label?: string;
  readonly onChange: (value: number) => void;
  /** Told of what is out of range, which is not taken then; without it the nearest end is. */
  readonly onRefused?: (typed: number) => void;
}

/**
 * A typed number, applied on Enter or on leaving. What is out of range goes to the nearest end or is refused, what is
 * no number back to what was.
 */
export function NumberField(props: NumberFieldProps) {
  const { value, min, max, step, unit, decimals, id, label, onChange, onRefused } = props;
  const text = decimals === undefined ? String(value) : value.toFixed(decimals);
  const apply = (input: HTMLInputElement) => {
    const typed = input.value.trim() === "" ? NaN : Number(input.value);
    input.value = text;
    if (!Number.isFinite(typed) || typed === Number(text)) return;
    if (onRefused && (typed < min || typed > max)) {
      onRefused(typed);
      return;
    }
    const next = Math.max(min, Math.min(max, typed));
    if (next !== value) onChange(next);
  };
  return (
    <InputGroup size="sm" className="typed">
      <Form.Control
        type="number"
        id={id}
        aria-label={label}
        min={min}
        max={max}
        step={step}
        key={text}
        defaultValue={text}
        onBlur={(event) => apply(event.currentTarget as HTMLInputElement)}
        onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
      />
      {unit ? <InputGroup.Text>{unit}</InputGroup.Text> : null}
    </InputGroup>
  );
}
