import { openName, openVariant } from "@kinetocache/core";
import { useState } from "react";
import Button from "react-bootstrap/Button";
import Dropdown from "react-bootstrap/Dropdown";
import Form from "react-bootstrap/Form";
import { send, useEngine } from "../../data/engineStore";
import { useWorkspace } from "../../data/workspace";
import type { Comparison } from "../../engine/protocol/command";

/** Named alternatives of the composition: which is open, and which it is compared with. */
export function VariantBar() {
  const { document, edit } = useWorkspace();
  const comparison = useEngine((state) => state.status?.comparison);
  const [naming, setNaming] = useState<"new" | "rename">();
  const { variants, main } = document;
  const open = openVariant(document);
  const others = variants.filter((variant) => variant !== open);
  const compare = (variant: string) =>
    send({ kind: "compare", with: { variant, layout: "side by side", wipe: 0.5, parkedOnly: false } });

  if (open.composition !== main)
    return (
      <div className="variant-bar">
        <strong>{openName(document)}</strong>
        <Button
          size="sm"
          variant="outline-dark"
          onClick={() => void edit({ kind: "variantShown", variant: open.composition })}
        >
          Back to {open.name}
        </Button>
      </div>
    );
  if (naming)
    return (
      <NameForm
        label={naming === "new" ? "Name of the new variant" : "Name of the variant"}
        initial={naming === "new" ? `Variant ${variants.length + 1}` : open.name}
        onDone={(name) => {
          setNaming(undefined);
          if (name === undefined) return;
          void edit(
            naming === "new" ? { kind: "variantAdded", name } : { kind: "variantRenamed", variant: main, name },
          );
        }}
      />
    );
  return (
    <div className="variant-bar">
      <Dropdown>
        <Dropdown.Toggle variant="link" className="strip-name" aria-label={`Variant ${open.name}`}>
          {open.name}
        </Dropdown.Toggle>
        <Dropdown.Menu>
          {variants.map(({ composition, name }) => (
            <Dropdown.Item
              key={composition}
              active={composition === main}
              onClick={() => void edit({ kind: "variantShown", variant: composition })}
            >
              {name}
            </Dropdown.Item>
          ))}
          <Dropdown.Divider />
          <Dropdown.Item onClick={() => setNaming("new")}>Add a variant…</Dropdown.Item>
          <Dropdown.Item onClick={() => setNaming("rename")}>Rename {open.name}…</Dropdown.Item>
          <Dropdown.Item
            as="button"
            type="button"
            disabled={others.length === 0}
            onClick={() => void edit({ kind: "variantRemoved", variant: main })}
          >
            Remove {open.name}
          </Dropdown.Item>
        </Dropdown.Menu>
      </Dropdown>
      {others.length > 0 ? (
        <Dropdown>
          <Dropdown.Toggle variant="link" className="strip-name" aria-label="Compare with another variant">
            {comparison
              ? `with ${others.find((one) => one.composition === comparison.variant)?.name ?? ""}`
              : "Compare"}
          </Dropdown.Toggle>
          <Dropdown.Menu>
            {others.map(({ composition, name }) => (
              <Dropdown.Item
                key={composition}
                active={comparison?.variant === composition}
                onClick={() => compare(composition)}
              >
                {name}
              </Dropdown.Item>
            ))}
            <Dropdown.Divider />
            <Dropdown.Item as="button" type="button" disabled={!comparison} onClick={() => send({ kind: "compare" })}>
              Show {open.name} alone
            </Dropdown.Item>
          </Dropdown.Menu>
        </Dropdown>
      ) : null}
    </div>
  );
}

/** How two variants are shown. */
export function ComparisonBar() {
  const comparison = useEngine((state) => state.status?.comparison);
  return comparison ? (
    <div className="comparison-bar">
      <ComparisonControls comparison={comparison} />
    </div>
  ) : null;
}

function ComparisonControls({ comparison }: { readonly comparison: Comparison }) {
  const change = (what: Partial<Comparison>) => send({ kind: "compare", with: { ...comparison, ...what } });
  const isWipe = comparison.layout === "wipe";
  return (
    <>
      <Button size="sm" variant="outline-dark" onClick={() => change({ layout: isWipe ? "side by side" : "wipe" })}>
        {isWipe ? "Show side by side" : "Show with a wipe"}
      </Button>
      {isWipe ? (
        <Form.Range
          className="wipe"
          aria-label="Place of the wipe"
          min={0}
          max={100}
          value={Math.round(comparison.wipe * 100)}
          onChange={(event) => change({ wipe: Number(event.target.value) / 100 })}
        />
      ) : null}
      <Form.Check
        type="switch"
        id="parked-only"
        label="Parked only"
        checked={comparison.parkedOnly}
        onChange={(event) => change({ parkedOnly: event.target.checked })}
      />
    </>
  );
}

interface NameFormProps {
  readonly label: string;
  readonly initial: string;
  /** @param name undefined when it was given up */
  readonly onDone: (name: string | undefined) => void;
}

function NameForm({ label, initial, onDone }: NameFormProps) {
  const [name, setName] = useState(initial);
  const text = name.trim();
  return (
    <Form
      className="variant-bar"
      onSubmit={(event) => {
        event.preventDefault();
        if (text) onDone(text.slice(0, 120));
      }}
      onKeyDown={(event) => event.key === "Escape" && onDone(undefined)}
    >
      <Form.Control
        size="sm"
        autoFocus
        aria-label={label}
        maxLength={120}
        value={name}
        onFocus={(event) => event.target.select()}
        onChange={(event) => setName(event.target.value)}
      />
      <Button size="sm" variant="dark" type="submit" disabled={!text}>
        Name it
      </Button>
      <Button size="sm" variant="outline-dark" onClick={() => onDone(undefined)}>
        Cancel
      </Button>
    </Form>
  );
}
