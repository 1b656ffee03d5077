import {
  applyEdit,
  clipAdded,
  DEPTHS,
  LARGEST_SIDE,
  LONGEST_NAME,
  MOST_FRAMES,
  NAMED_RATES,
  newDocument,
  parseLength,
  parseRate,
  rateName,
  timecode,
  type Depth,
  type ReferencedClip,
} from "@kinetocache/core";
import { joiResolver } from "@hookform/resolvers/joi";
import Joi from "joi";
import { useId } from "react";
import Button from "react-bootstrap/Button";
import Form from "react-bootstrap/Form";
import Modal from "react-bootstrap/Modal";
import { useForm } from "react-hook-form";
import { addDocument } from "../data/documents";
import { textOf } from "../data/notices";
import { useWorkspace } from "../data/workspace";
import "./NewComposition.css";

const RATE = "A rate is needed, such as 23.976, 25 or 24000/1001, from 1 to 240";
const LENGTHS = "timecode such as 00:00:10:00, frames such as 240, or time such as 10 s";

interface Typed {
  readonly name: string;
  readonly width: number;
  readonly height: number;
  readonly rate: string;
  readonly length: string;
  readonly depth: Depth;
}

const side = Joi.number()
  .integer()
  .min(1)
  .max(LARGEST_SIDE)
  .required()
  .messages({ "*": `A whole number of pixels is needed, from 1 to ${LARGEST_SIDE}` });

const schema = Joi.object<Typed>({
  name: Joi.string()
    .trim()
    .min(1)
    .max(LONGEST_NAME)
    .required()
    .messages({ "*": `A name is needed, of at most ${LONGEST_NAME} characters` }),
  width: side,
  height: side,
  rate: Joi.string()
    .custom((text: string, { message }: Joi.CustomHelpers) => (parseRate(text) ? text : message({ custom: RATE })))
    .required()
    .messages({ "string.empty": RATE }),
  length: Joi.string()
    .custom((text: string, { message, state }: Joi.CustomHelpers) => {
      const { rate } = (state.ancestors as readonly [Typed])[0];
      const known = parseRate(rate);
      // What is wrong then is said at the rate.
      if (!known) return text;
      const frames = parseLength(text, known);
      if (frames === undefined) return message({ custom: `A length is needed: ${LENGTHS}` });
      return frames <= MOST_FRAMES ? text : message({ custom: `At most ${MOST_FRAMES} frames` });
    })
    .required()
    .messages({ "string.empty": `A length is needed: ${LENGTHS}` }),
  depth: Joi.string()
    .valid(...DEPTHS)
    .required(),
});

interface NewCompositionProps {
  /** A clip that it is made of: it begins with its size, rate and length. */
  readonly of?: ReferencedClip;
  readonly onClose: () => void;
}

const EMPTY: Typed = { name: "", width: 1920, height: 1080, rate: "24", length: "00:00:10:00", depth: "8-bit" };

function madeOf({ file, width, height, rate, duration }: ReferencedClip): Typed {
  const name = file.name.replace(/\.[^.]*$/, "").slice(0, LONGEST_NAME);
  const exact = `${rate.numerator}/${rate.denominator}`;
  const named = Object.hasOwn(NAMED_RATES, rateName(rate)) ? rateName(rate) : exact;
  return { name, width, height, rate: named, length: timecode(duration, rate), depth: "8-bit" };
}

/** Asks what a new composition is like, makes it and opens it. */
export default function NewComposition({ of, onClose }: NewCompositionProps) {
  const { openStored, notify } = useWorkspace();
  const id = useId();
  const { register, handleSubmit, formState, watch } = useForm<Typed>({
    defaultValues: of ? madeOf(of) : EMPTY,
    resolver: joiResolver(schema),
    mode: "onTouched",
  });
  const { errors, isSubmitting } = formState;
  const make = handleSubmit(async ({ depth, rate: rateText, length, ...made }) => {
    const rate = parseRate(rateText)!;
    try {
      const empty = newDocument({ ...made, rate, duration: parseLength(length, rate)! }, depth);
      const stored = await addDocument(of ? applyEdit(empty, clipAdded(empty, of)) : empty);
      await openStored(stored);
      onClose();
    } catch (error) {
      notify(`The composition could not be made: ${textOf(error)}`);
    }
  });
  const rate = parseRate(watch("rate"));
  const frames = rate && parseLength(watch("length"), rate);
  return (
    <Modal show onHide={onClose} animation={false} aria-labelledby={`${id}-title`}>
      <Form noValidate onSubmit={(event) => void make(event)}>
        <Modal.Header closeButton>
          <Modal.Title as="h2" id={`${id}-title`}>
            New composition
          </Modal.Title>
        </Modal.Header>
        <Modal.Body className="new-composition">
          <Form.Group controlId={`${id}-name`}>
            <Form.Label>Name</Form.Label>
            <Form.Control autoFocus isInvalid={errors.name !== undefined} {...register("name")} />
            <Form.Control.Feedback type="invalid">{errors.name?.message}</Form.Control.Feedback>
          </Form.Group>
          <div className="new-composition-pair">
            <Form.Group controlId={`${id}-width`}>
              <Form.Label>Width, pixels</Form.Label>
              <Form.Control type="number" isInvalid={errors.width !== undefined} {...register("width")} />
              <Form.Control.Feedback type="invalid">{errors.width?.message}</Form.Control.Feedback>
            </Form.Group>
            <Form.Group controlId={`${id}-height`}>
              <Form.Label>Height, pixels</Form.Label>
              <Form.Control type="number" isInvalid={errors.height !== undefined} {...register("height")} />
              <Form.Control.Feedback type="invalid">{errors.height?.message}</Form.Control.Feedback>
            </Form.Group>
          </div>
          <div className="new-composition-pair">
            <Form.Group controlId={`${id}-rate`}>
              <Form.Label>Frames a second</Form.Label>
              <Form.Control
                list={`${id}-rates`}
                className="mono"
                autoComplete="off"
                isInvalid={errors.rate !== undefined}
                {...register("rate")}
              />
              <datalist id={`${id}-rates`}>
                {Object.entries(NAMED_RATES).map(([name, { numerator, denominator }]) => (
                  <option key={name} value={name}>
                    {denominator === 1 ? "" : `${numerator}/${denominator}`}
                  </option>
                ))}
              </datalist>
              <Form.Control.Feedback type="invalid">{errors.rate?.message}</Form.Control.Feedback>
            </Form.Group>
            <Form.Group controlId={`${id}-length`}>
              <Form.Label>Length</Form.Label>
              <Form.Control
                className="mono"
                autoComplete="off"
                isInvalid={errors.length !== undefined}
                {...register("length")}
              />
              <Form.Control.Feedback type="invalid">{errors.length?.message}</Form.Control.Feedback>
              {frames === undefined ? null : <Form.Text>{frames} frames</Form.Text>}
            </Form.Group>
          </div>
          <Form.Group controlId={`${id}-depth`}>
            <Form.Label>Working depth</Form.Label>
            <Form.Select {...register("depth")}>
              {DEPTHS.map((depth) => (
                <option key={depth}>{depth}</option>
              ))}
            </Form.Select>
          </Form.Group>
        </Modal.Body>
        <Modal.Footer>
          <Button variant="outline-dark" onClick={onClose}>
            Cancel
          </Button>
          <Button variant="dark" type="submit" disabled={isSubmitting}>
            Make the composition
          </Button>
        </Modal.Footer>
      </Form>
    </Modal>
  );
}
