import Form from "react-bootstrap/Form";
import { NumberField } from "./NumberField";

export interface AmountProps {
  readonly id: string;
  readonly label: string;
  readonly unit: string;
  readonly value: number;
  readonly min: number;
  readonly max: number;
  readonly step?: number;
  readonly onChange: (value: number) => void;
  readonly onRefused?: (typed: number) => void;
}

/** A labelled number. */
export function Amount({ id, label, unit, value, min, max, step = 1, ...rest }: AmountProps) {
  return (
    <div className="amount">
      <Form.Label htmlFor={id}>{label}</Form.Label>
      <NumberField id={id} value={value} min={min} max={max} step={step} unit={unit} {...rest} />
    </div>
  );
}
