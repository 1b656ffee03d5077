import { timecode, type Rate } from "@kinetocache/core";
import { useEffect, useRef, useState, type PointerEvent } from "react";
import { send, useEngine } from "../../data/engineStore";
import { useWorkspace } from "../../data/workspace";
import type { Comparison } from "../../engine/protocol/command";
import type { CacheChange } from "../../engine/protocol/event";
import { rateText } from "../../parts/format";
import { changeText } from "./frameWords";
import "./Viewer.css";

// A canvas can be handed over only once, and effects run twice in development.
const handedOver = new WeakSet<HTMLCanvasElement>();

const CHANGE_SHOWN_MS = 8000;

/** What the last edit did to what was held; for some seconds. */
function ChangeText() {
  const { document } = useWorkspace();
  const change = useEngine((state) => state.cacheChange);
  const [seen, setSeen] = useState<CacheChange>();
  useEffect(() => {
    const timer = setTimeout(() => setSeen(change), CHANGE_SHOWN_MS);
    return () => clearTimeout(timer);
  }, [change]);
  const isShown = change?.document === document.id && change !== seen;
  return (
    <span className="viewer-note viewer-change" role="status">
      {isShown ? changeText(change) : ""}
    </span>
  );
}

function TimeText({ rate }: { readonly rate: Rate }) {
  const playhead = useEngine((state) => state.playhead);
  return (
    <span className="viewer-note viewer-time">
      {timecode(playhead, rate)} <span>frame {playhead}</span>
    </span>
  );
}

function RateText() {
  const playback = useEngine((state) => state.status?.playback);
  const sharp = useEngine(({ status, playhead }) => status?.sharp && status.playhead === playhead);
  const speed = useEngine((state) => state.status?.speed ?? 0);
  const shuttle = Math.abs(speed) > 1 || speed < 0 ? `${speed < 0 ? "backwards " : ""}${Math.abs(speed)} × · ` : "";
  return (
    <span className="viewer-note viewer-rate">
      {playback
        ? `${shuttle}${rateText(playback.reachedRate)} fps · ${playback.skipped} skipped`
        : sharp
          ? "sharp, full size"
          : ""}
    </span>
  );
}

/** Puts the wipe where the pointer is on the picture. */
function wipeTo(event: PointerEvent<HTMLCanvasElement>, comparison: Comparison): void {
  event.currentTarget.setPointerCapture(event.pointerId);
  const { left, width } = event.currentTarget.getBoundingClientRect();
  const wipe = Math.min(1, Math.max(0, (event.clientX - left) / width));
  send({ kind: "compare", with: { ...comparison, wipe } });
}

/** The picture, drawn by the engine. */
export function Viewer() {
  const { composition, document } = useWorkspace();
  const comparison = useEngine((state) => state.status?.comparison);
  const isPlaying = useEngine((state) => state.status?.mode === "playing");
  const isShown = comparison !== undefined && !(comparison.parkedOnly && isPlaying);
  const isDouble = isShown && comparison.layout === "side by side";
  const nameOf = (id: string) => document.variants.find((variant) => variant.composition === id)?.name ?? "";
  const canvas = useRef<HTMLCanvasElement>(null);

  useEffect(() => {
    const element = canvas.current!;
    if (handedOver.has(element)) return;
    handedOver.add(element);
    const offscreen = element.transferControlToOffscreen();
    send({ kind: "viewer", canvas: offscreen }, [offscreen]);
  }, []);

  const isWipe = isShown && comparison.layout === "wipe";
  return (
    <div className="viewer">
      <canvas
        ref={canvas}
        className={isWipe ? "is-wiped" : undefined}
        onPointerDown={isWipe ? (event) => wipeTo(event, comparison) : undefined}
        onPointerMove={isWipe ? (event) => event.buttons === 1 && wipeTo(event, comparison) : undefined}
        width={16}
        height={9}
        style={{ aspectRatio: `${composition.width * (isDouble ? 2 : 1)} / ${composition.height}` }}
        aria-label={`Picture of ${composition.name}`}
        role="img"
      />
      {isShown ? (
        <>
          <span className="viewer-note viewer-left">{nameOf(document.main)}</span>
          <span className="viewer-note viewer-right">{nameOf(comparison.variant)}</span>
        </>
      ) : null}
      <ChangeText />
      <TimeText rate={composition.rate} />
      <RateText />
    </div>
  );
}
