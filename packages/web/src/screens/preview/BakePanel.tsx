import {
  bakeChoices,
  bakeState,
  BROWSER_LOCATION,
  DEPTHS,
  FRACTIONS,
  frameBytes,
  type Bake,
  type BakeTarget,
  type Depth,
} from "@kinetocache/core";
import { Lock, LockOpen, Trash2 } from "lucide-react";
import { useMemo, useRef, useState } from "react";
import Button from "react-bootstrap/Button";
import Form from "react-bootstrap/Form";
import { beginBake, deleteBake, importSequence, suggestBakes, targetName, type BakeWish } from "../../data/bakes";
import { send, useEngine } from "../../data/engineStore";
import { useLocations } from "../../data/locations";
import { roomOf } from "../../data/room";
import { textOf } from "../../data/notices";
import { useRoles } from "../../data/roles";
import { useSequences } from "../../data/server";
import { useWorkspace } from "../../data/workspace";
import type { BakeOffer, SuggestedBakes } from "../../engine/protocol/event";
import { bytesText, fractionText, framesText } from "../../parts/format";
import { LongText } from "../../parts/LongText";
import { Progress } from "../../parts/Progress";
import { bakeStateText, bakeText, noOfferText, offerText } from "./bakeWords";
import { SequenceExport } from "./SequenceExport";

/** Folders that can hold baked frames, the one with that role first. */
function useBakeLocations() {
  const { locations } = useLocations();
  const roles = useRoles();
  const preferred = roles?.["baked frames"] ?? "main";
  return locations
    .filter(({ id, holds, condition }) => id !== BROWSER_LOCATION && holds === "frames" && condition.kind === "open")
    .sort((a, b) => Number(b.id === preferred) - Number(a.id === preferred));
}

/** Begins a bake, and says why where it cannot. */
function useBegin(): (wish: BakeWish, replaces?: string) => Promise<void> {
  const { document, changeBakes, notify } = useWorkspace();
  return async (wish, replaces) => {
    try {
      const bake = await beginBake(document, wish, replaces);
      await changeBakes((bakes) => [...bakes, bake]);
      send({ kind: "bake", bake });
    } catch (error) {
      notify(`The bake cannot begin: ${textOf(error)}`);
    }
  };
}

interface SizeSelectProps {
  readonly id: string;
  readonly value: number;
  readonly onChange: (fraction: number) => void;
  readonly label?: string;
  readonly className?: string;
}

/** Sizes at which can be baked; full unless the user asks otherwise. */
function SizeSelect({ id, value, onChange, label, className }: SizeSelectProps) {
  return (
    <Form.Select
      size="sm"
      id={id}
      className={className}
      aria-label={label}
      value={String(value)}
      onChange={(event) => onChange(FRACTIONS.find((one) => String(one) === event.target.value) ?? 1)}
    >
      {FRACTIONS.map((one) => (
        <option key={one} value={String(one)}>
          {one === 1 ? "100 %, full" : `${fractionText(one)}, reduced`}
        </option>
      ))}
    </Form.Select>
  );
}

interface BakeFormProps {
  readonly selected: string | undefined;
}

const keyOf = ({ composition, layer }: BakeTarget) => `${composition}/${layer ?? ""}`;

/** What to bake, over which frames, how and where. */
function BakeForm({ selected }: BakeFormProps) {
  const { document, composition } = useWorkspace();
  const begin = useBegin();
  const range = useEngine((state) => state.status?.range);
  const locations = useBakeLocations();
  const choices = useMemo(() => bakeChoices(document), [document]);
  const [picked, setPicked] = useState<string>();
  const [whole, setWhole] = useState(true);
  const [fraction, setFraction] = useState<number>(1);
  const [depth, setDepth] = useState<Depth>();
  const [packed, setPacked] = useState(true);
  const [location, setLocation] = useState<string>();
  const bySelection = choices.find(({ target }) => target.layer !== undefined && target.layer === selected);
  const choice = choices.find(({ target }) => keyOf(target) === picked) ?? bySelection ?? choices[0]!;
  const owner = document.compositions[choice.target.composition]!;
  const all = { in: 0, out: owner.duration };
  const isMain = owner.id === composition.id;
  const frames = isMain && !whole && range ? range : all;
  const place = locations.find(({ id }) => id === location) ?? locations[0];
  const wish: BakeWish | undefined = place && {
    target: choice.target,
    range: frames,
    fraction,
    depth: depth ?? document.depth,
    packed,
    location: place.id,
  };
  const bytes = frameBytes(owner, fraction, wish?.depth ?? document.depth) * (frames.out - frames.in);
  return (
    <details className="bake-form" open>
      <summary>Bake</summary>
      <Form.Group className="amount" controlId="bake-target">
        <Form.Label>What</Form.Label>
        <Form.Select size="sm" value={keyOf(choice.target)} onChange={(event) => setPicked(event.target.value)}>
          {choices.map(({ target, name, kind }) => (
            <option key={keyOf(target)} value={keyOf(target)}>
              {kind === "layer" ? name : `${name} (${kind})`}
            </option>
          ))}
        </Form.Select>
      </Form.Group>
      <Form.Group className="amount" controlId="bake-range">
        <Form.Label>Frames</Form.Label>
        <Form.Select
          size="sm"
          value={whole || !isMain ? "whole" : "range"}
          disabled={!isMain}
          onChange={(event) => setWhole(event.target.value === "whole")}
        >
          <option value="whole">{`all ${all.out}`}</option>
          <option value="range">{range ? `in–out, ${range.in} – ${range.out - 1}` : "in–out"}</option>
        </Form.Select>
      </Form.Group>
      <div className="amount">
        <Form.Label htmlFor="bake-size">Size</Form.Label>
        <SizeSelect id="bake-size" value={fraction} onChange={setFraction} />
      </div>
      <Form.Group className="amount" controlId="bake-depth">
        <Form.Label>Depth, alpha kept</Form.Label>
        <Form.Select
          size="sm"
          value={depth ?? document.depth}
          onChange={(event) => setDepth(DEPTHS.find((one) => one === event.target.value))}
        >
          {DEPTHS.map((one) => (
            <option key={one}>{one}</option>
          ))}
        </Form.Select>
      </Form.Group>
      <Form.Group className="amount" controlId="bake-location">
        <Form.Label>Where</Form.Label>
        <Form.Select size="sm" value={place?.id ?? ""} onChange={(event) => setLocation(event.target.value)}>
          {locations.map(({ id, name }) => (
            <option key={id} value={id}>
              {name}
            </option>
          ))}
        </Form.Select>
      </Form.Group>
      <Form.Check
        type="switch"
        id="bake-packed"
        label="Packed files"
        checked={packed}
        onChange={(event) => setPacked(event.target.checked)}
      />
      {place?.path ? <LongText className="control-note" text={`${place.path}/sequences`} /> : null}
      <p className="control-note">
        At most {bytesText(bytes)} of pixels.
        {depth !== undefined && DEPTHS.indexOf(depth) < DEPTHS.indexOf(document.depth)
          ? ` ${depth} is less than the composition's ${document.depth}.`
          : ""}
      </p>
      <Button size="sm" variant="dark" disabled={!wish} onClick={() => wish && void begin(wish)}>
        Bake {choice.name}
      </Button>
    </details>
  );
}

interface BakeRowProps {
  readonly bake: Bake;
}

function BakeRow({ bake }: BakeRowProps) {
  const { document, changeBakes, notify } = useWorkspace();
  const begin = useBegin();
  const unreadable = useEngine((state) => state.status?.unreadable);
  const running = useEngine((state) => state.status?.bakes.find(({ id }) => id === bake.id));
  const { data: sequences } = useSequences();
  const [asks, setAsks] = useState(false);
  const stored = sequences?.find(({ id }) => id === bake.sequence);
  const state = useMemo(() => bakeState(document, bake, new Set(unreadable)), [document, bake, unreadable]);
  const { text, alarm } = bakeStateText(state, bake);
  const name = targetName(document, bake.target) ?? stored?.name ?? "What is gone";
  const change = (what: Partial<Bake>) =>
    void changeBakes((bakes) => bakes.map((one) => (one.id === bake.id ? { ...one, ...what } : one)));
  const again = () => {
    const { target, range, fraction, depth, packed, location } = bake;
    return begin({ target, range, fraction, depth, packed, location }, bake.id);
  };
  const remove = async () => {
    if (running) notify(`Baking ${name} ended: its bake was removed.`);
    await changeBakes((bakes) => bakes.filter(({ id }) => id !== bake.id));
    await deleteBake(bake).catch((error: unknown) => notify(`Its files stay: ${textOf(error)}`));
  };
  return (
    <li aria-label={`Bake of ${name}`}>
      <div className="waste-head">
        <strong>{name}</strong>
        <span className="mono">{stored ? bytesText(stored.bytes) : "–"}</span>
      </div>
      <p>{bakeText(bake)}</p>
      <p className={alarm ? "control-warning" : ""}>
        {running
          ? `${running.paused ? "Paused at" : running.checking ? "Being checked," : "Being baked,"} ${running.done} of ${framesText(running.total)}`
          : text}
      </p>
      <div className="button-row">
        {bake.complete ? (
          <>
            <Form.Check
              type="switch"
              id={`bake-on-${bake.id}`}
              label="On"
              checked={bake.enabled}
              onChange={(event) => change({ enabled: event.target.checked })}
            />
            <Button
              size="sm"
              variant="outline-dark"
              active={bake.locked}
              aria-pressed={bake.locked}
              onClick={() => change({ locked: !bake.locked })}
            >
              {bake.locked ? (
                <Lock size="0.75rem" aria-hidden="true" />
              ) : (
                <LockOpen size="0.75rem" aria-hidden="true" />
              )}{" "}
              Lock
            </Button>
            <Button
              size="sm"
              variant="outline-dark"
              disabled={state.kind === "without target"}
              onClick={() => void again()}
            >
              Bake again
            </Button>
            <SequenceExport sequence={bake.sequence} />
          </>
        ) : running ? null : (
          <Button size="sm" variant="outline-dark" onClick={() => send({ kind: "bake", bake })}>
            Go on
          </Button>
        )}
        {asks ? (
          <>
            <Button size="sm" variant="dark" onClick={() => void remove()}>
              Remove {stored ? bytesText(stored.bytes) : "it"}
            </Button>
            <Button size="sm" variant="outline-dark" onClick={() => setAsks(false)}>
              Keep
            </Button>
          </>
        ) : (
          <Button
            size="sm"
            variant="link"
            className="icon-button"
            aria-label={`Remove the bake of ${name}`}
            title="Remove: its files are deleted at once, and can be baked again"
            onClick={() => setAsks(true)}
          >
            <Trash2 size="0.8125rem" aria-hidden="true" />
          </Button>
        )}
      </div>
    </li>
  );
}

/** What is worth baking with the space there is. */
function Suggestion() {
  const { composition, document, notify } = useWorkspace();
  const latest = useEngine((state) => state.suggestedBakes);
  const trial = useEngine((state) => state.status?.trial);
  const [place] = useBakeLocations();
  const room = roomOf(place?.contents);
  const suggest = async (location: string) => {
    try {
      await suggestBakes(document, location, room);
    } catch (error) {
      notify(`What is worth baking could not be tried: ${textOf(error)}`);
    }
  };
  // What was said of another variant or composition says nothing here.
  const suggested = latest?.composition === composition.id ? latest : undefined;
  return (
    <div className="control">
      <Button
        size="sm"
        variant="outline-dark"
        disabled={!place || trial !== undefined}
        onClick={() => place && void suggest(place.id)}
      >
        Suggest what to bake
      </Button>
      <p className="control-note">
        Some frames are rendered with what could be baked. {bytesText(room)} of room, where cached frames give way.
      </p>
      {trial?.of === "bakes" ? (
        <Progress label="Finding out what is worth baking" now={Math.round(trial.progress * 100)} max={100} />
      ) : suggested && place ? (
        <div role="status">
          {suggested.offers.length === 0 ? <p>{noOfferText(suggested)}</p> : null}
          <ul className="waste-list">
            {suggested.offers.map((offer) => (
              <Offer key={offerName(offer)} offer={offer} suggested={suggested} location={place.id} />
            ))}
          </ul>
        </div>
      ) : null}
    </div>
  );
}

const offerName = ({ targets, fraction }: BakeOffer) => `${targets.map(keyOf).join()} ${fraction}`;

interface OfferProps {
  readonly offer: BakeOffer;
  readonly suggested: SuggestedBakes;
  readonly location: string;
}

function Offer({ offer, suggested, location }: OfferProps) {
  const { document, settings } = useWorkspace();
  const begin = useBegin();
  const { targets, fraction } = offer;
  const names = targets.map((target) => targetName(document, target) ?? "what is gone");
  const take = async () => {
    for (const target of targets) {
      const { duration } = document.compositions[target.composition]!;
      const range = target.composition === suggested.composition ? suggested.range : { in: 0, out: duration };
      await begin({ target, range, fraction, depth: document.depth, packed: true, location });
    }
  };
  return (
    <li aria-label={`Bake ${names.join(", ")}, ${fractionText(fraction)}`}>
      <div className="waste-head">
        <strong>{names.join(", ")}</strong>
        <span className="mono">{fractionText(fraction)}</span>
      </div>
      <p>
        {offerText(offer, suggested)}
        {fraction < settings.fraction ? " Smaller than the preview is now." : ""}
      </p>
      <Button size="sm" variant="dark" onClick={() => void take()}>
        Bake {targets.length === 1 ? "it" : `these ${targets.length}`}
      </Button>
    </li>
  );
}

/** Brings numbered pictures in as a layer. */
function BringIn() {
  const { document, edit, notify } = useWorkspace();
  const locations = useBakeLocations();
  const input = useRef<HTMLInputElement>(null);
  const [share, setShare] = useState<number>();
  const bringIn = async (files: readonly File[]) => {
    if (files.length === 0 || !locations[0]) return;
    setShare(0);
    try {
      const { layer, assets, notes } = await importSequence(files, document, locations[0].id, setShare);
      await edit({ kind: "layerAdded", layer, assets });
      notify(`${layer.name} was brought in. ${notes.join(" ")}`);
    } catch (error) {
      notify(`The sequence was not brought in. ${textOf(error)}`);
    }
    setShare(undefined);
  };
  return (
    <div className="control">
      <Button
        size="sm"
        variant="outline-dark"
        disabled={share !== undefined || !locations[0]}
        onClick={() => input.current?.click()}
      >
        Bring in an image sequence…
      </Button>
      {share === undefined ? null : <Progress label="Pictures brought in" now={Math.round(share * 100)} max={100} />}
      <input
        ref={input}
        type="file"
        multiple
        hidden
        accept=".png,.exr,.qoi,.pam"
        aria-label="Numbered pictures"
        onChange={(event) => {
          void bringIn([...(event.target.files ?? [])]);
          event.target.value = "";
        }}
      />
    </div>
  );
}

/** Bakes of the open composition: what there is, and what there could be. */
export function BakePanel({ selected }: BakeFormProps) {
  const { bakes } = useWorkspace();
  return (
    <div className="panel-body">
      {bakes.length > 0 ? (
        <ul className="waste-list">
          {bakes.map((bake) => (
            <BakeRow key={bake.id} bake={bake} />
          ))}
        </ul>
      ) : (
        <p className="control-note">
          Nothing is baked. A baked layer is played from disk in place of the live one, at every preview size.
        </p>
      )}
      <Suggestion />
      <BakeForm selected={selected} />
      <BringIn />
    </div>
  );
}
