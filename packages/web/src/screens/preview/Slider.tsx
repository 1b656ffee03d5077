import { useState } from "react";
import Form from "react-bootstrap/Form";
import { Amount, type AmountProps } from "../../parts/Amount";

/** A value that is dragged or typed, applied when the drag ends. */
export function Slider(props: AmountProps) {
  const { label, value, min, max, step, onChange } = props;
  const [dragged, setDragged] = useState<number>();
  const apply = () => {
    if (dragged !== undefined && dragged !== value) onChange(dragged);
    setDragged(undefined);
  };
  return (
    <div className="slider-row">
      <Amount {...props} value={dragged ?? value} />
      <Form.Range
        aria-label={`${label}, slider`}
        min={min}
        max={max}
        step={step}
        value={dragged ?? value}
        onChange={(event) => setDragged(Number(event.target.value))}
        onPointerUp={apply}
        onKeyUp={apply}
        onBlur={apply}
      />
    </div>
  );
}
