import { timecode, type Rate } from "@kinetocache/core";
import { useEffect, useRef } from "react";
import { send, useEngine } from "../../data/engineStore";
import { useWorkspace } from "../../data/workspace";
import { framesText, rateText } from "../../parts/format";
import { ComparisonBar } from "./VariantBar";

// A canvas can be handed over only once, and effects run twice in development.
const handedOver = new WeakSet<HTMLCanvasElement>();

const CAUSES = { edit: "The edit", undo: "Undo", redo: "Redo" } as const;

/** What the last edit did to what was held. */
function ChangeText() {
  const { document } = useWorkspace();
  const change = useEngine((state) => state.cacheChange);
  if (change?.document !== document.id) return null;
  const parts = [
    change.lost > 0 ? `${framesText(change.lost)} lost from the cache` : "",
    change.regained > 0 ? `${framesText(change.regained)} found again, none rendered` : "",
  ].filter(Boolean);
  return (
    <span className="viewer-note viewer-change" role="status">
      {`${CAUSES[change.cause]}: ${parts.join(", ") || "no frame lost from the cache"}`}
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
  return (
    <span className="viewer-note viewer-rate">
      {playback
        ? `${rateText(playback.reachedRate)} fps · ${playback.skipped} skipped`
        : sharp
          ? "sharp, full size"
          : ""}
    </span>
  );
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

  return (
    <div className="viewer">
      <canvas
        ref={canvas}
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
      <ComparisonBar />
      <ChangeText />
      <TimeText rate={composition.rate} />
      <RateText />
    </div>
  );
}
