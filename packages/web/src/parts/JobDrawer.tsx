import { Pause, Play, Square } from "lucide-react";
import { useEffect, useRef, useState, type ReactNode } from "react";
import Button from "react-bootstrap/Button";
import { send, useEngine } from "../data/engineStore";
import { targetName } from "../data/bakes";
import type { BakeStatus } from "../engine/bakeRun";
import type { FillOrder } from "../engine/fillOrders";
import { isUnderWay, steerJob, useJobs, type JobStatus } from "../data/server";
import { useWorkspace } from "../data/workspace";
import { durationText } from "./format";
import { Progress } from "./Progress";
import "./JobDrawer.css";

interface DrawerJobProps {
  readonly title: string;
  readonly figures: ReactNode;
  /** Where it is known better than by its pace. */
  readonly remainingMs?: number;
  /** False where nothing is said of the time that is left. */
  readonly isEstimated?: boolean;
  /** What the bar counts. */
  readonly label: string;
  readonly now: number;
  readonly max: number;
  /** Only of work that can rest. */
  readonly paused?: boolean;
  readonly onPause?: (paused: boolean) => void;
  readonly stopText: string;
  readonly stopTitle?: string;
  readonly onStop: () => void;
}

// Less of it says little of the rest.
const KNOWN_AFTER_MS = 2000;
const KNOWN_AFTER_SHARE = 0.02;

/** Estimated time for the rest of some work, from how it went since it began or went on; undefined while too new. */
function useRemaining(now: number, max: number, paused: boolean): number | undefined {
  const [start, setStart] = useState({ now, paused, atMs: performance.now() });
  if (start.paused !== paused || now < start.now) setStart({ now, paused, atMs: performance.now() });
  const [atMs, setAtMs] = useState(start.atMs);
  useEffect(() => setAtMs(performance.now()), [now]);
  const took = atMs - start.atMs;
  const done = now - start.now;
  if (paused || took < KNOWN_AFTER_MS || done < KNOWN_AFTER_SHARE * max) return undefined;
  return (took * (max - now)) / done;
}

/** One piece of long work: how far it is, and what can be done about it. */
function DrawerJob({ title, figures, label, now, max, paused = false, onPause, ...more }: DrawerJobProps) {
  const { remainingMs, isEstimated = true, ...stop } = more;
  const byPace = useRemaining(now, max, paused);
  const leftMs = remainingMs ?? (isEstimated ? byPace : undefined);
  return (
    <div className="drawer-job">
      <div className="drawer-text">
        <strong>{paused ? `${title}, paused` : title}</strong>
        <span className="mono">
          {figures}
          {leftMs === undefined ? "" : ` · ${durationText(leftMs)} left (est.)`}
        </span>
      </div>
      <Progress label={label} now={now} max={Math.max(1, max)} />
      {onPause ? (
        <Button size="sm" variant="outline-dark" onClick={() => onPause(!paused)}>
          {paused ? <Play size="0.8125rem" aria-hidden="true" /> : <Pause size="0.8125rem" aria-hidden="true" />}{" "}
          {paused ? "Go on" : "Pause"}
        </Button>
      ) : null}
      <Button size="sm" variant="outline-dark" title={stop.stopTitle} onClick={stop.onStop}>
        <Square size="0.8125rem" aria-hidden="true" /> {stop.stopText}
      </Button>
    </div>
  );
}

function countText(done: number, total: number): string {
  return `${done} / ${total}`;
}

function TakeJob() {
  const range = useEngine((state) => state.status!.range);
  const playhead = useEngine((state) => state.status!.playhead);
  const done = playhead - range.in + 1;
  const total = range.out - range.in;
  return (
    <DrawerJob
      title="Measuring a take"
      figures={countText(done, total)}
      label="Frames of the take"
      now={done}
      max={total}
      stopText="Stop"
      onStop={() => send({ kind: "pause" })}
    />
  );
}

function FillingJob() {
  const { changeSettings } = useWorkspace();
  const { paused, done, total, remainingMs } = useEngine((state) => state.status!.filling);
  return (
    <DrawerJob
      title="Background rendering"
      figures={countText(done, total)}
      remainingMs={remainingMs}
      isEstimated={false}
      label="Frames filled"
      now={done}
      max={total}
      paused={paused}
      onPause={(rests) => send({ kind: "pauseFilling", paused: rests })}
      stopText="Turn off"
      onStop={() => {
        send({ kind: "pauseFilling", paused: false });
        changeSettings({ background: "Off" });
      }}
    />
  );
}

/** Filling that was asked for. */
function OrderJob({ order }: { readonly order: FillOrder }) {
  const { composition } = useWorkspace();
  const { id, target, paused, held, total, remainingMs } = order;
  const what =
    target.kind === "layer"
      ? (composition.layers.find((layer) => layer.id === target.layer)?.name ?? target.layer)
      : `${target.range.in} – ${target.range.out - 1}`;
  return (
    <DrawerJob
      title={`Filling ${what}`}
      figures={countText(held, total)}
      remainingMs={remainingMs}
      isEstimated={false}
      label={`Filling ${what}`}
      now={held}
      max={total}
      paused={paused}
      onPause={(rests) => send({ kind: "pauseFill", order: id, paused: rests })}
      stopText="Cancel"
      onStop={() => send({ kind: "cancelFill", order: id })}
    />
  );
}

function BakeJob({ bake }: { readonly bake: BakeStatus }) {
  const { document, bakes } = useWorkspace();
  const own = bakes.find(({ id }) => id === bake.id);
  const name = (own && targetName(document, own.target)) ?? "a layer";
  const { id, done, total, paused, checking } = bake;
  return (
    <DrawerJob
      title={checking ? `Checking the bake of ${name}` : `Baking ${name}`}
      figures={countText(done, total)}
      label={`Baking ${name}`}
      now={done}
      max={total}
      paused={paused}
      onPause={(rests) => send({ kind: "pauseBake", bake: id, paused: rests })}
      stopText="Stop"
      stopTitle="What is baked so far stays, as a part"
      onStop={() => send({ kind: "stopBake", bake: id })}
    />
  );
}

function TrialJob() {
  const trial = useEngine((state) => state.status?.trial);
  if (!trial) return null;
  return (
    <DrawerJob
      title={`Measuring ${trial.of}`}
      figures={trial.step}
      label="Share of the measurement"
      now={Math.round(100 * trial.progress)}
      max={100}
      stopText="Stop"
      onStop={() => send({ kind: "touch" })}
    />
  );
}

function ServerJob({ job }: { readonly job: JobStatus }) {
  const { notify } = useWorkspace();
  const steer = (wish: "pause" | "resume" | "cancel") =>
    void steerJob(job.id, wish).catch((error: unknown) => notify((error as Error).message));
  return (
    <DrawerJob
      title={job.title}
      figures={job.detail}
      label={job.title}
      now={Math.round(100 * job.progress)}
      max={100}
      paused={job.state === "paused"}
      onPause={(rests) => steer(rests ? "pause" : "resume")}
      stopText="Cancel"
      onStop={() => steer("cancel")}
    />
  );
}

function CarryJob() {
  const carrying = useEngine((state) => state.status?.carrying);
  if (!carrying) return null;
  return (
    <DrawerJob
      title="Moving frames to another location"
      figures={`${carrying.done} of ${carrying.total} frames`}
      label="Frames moved"
      now={carrying.done}
      max={carrying.total}
      stopText="Stop"
      onStop={() => send({ kind: "stopCarrying" })}
    />
  );
}

/** Jobs of the server that go on; how one ended since the page was opened is said once. */
function useJobsUnderWay(): readonly JobStatus[] {
  const { notify } = useWorkspace();
  const jobs = useJobs();
  const told = useRef<Set<string>>(undefined);
  useEffect(() => {
    if (!jobs) return;
    const ended = jobs.filter((job) => !isUnderWay(job));
    // Those that had ended before are no news.
    told.current ??= new Set(ended.map(({ id }) => id));
    for (const { id, title, state, detail, isQuiet } of ended) {
      if (told.current.has(id)) continue;
      told.current.add(id);
      // Frames are elsewhere now.
      send({ kind: "diskChanged" });
      if (!isQuiet || state === "failed") notify(`${title}: ${ENDINGS[state]}${detail ? `, ${detail}` : ""}.`);
    }
  }, [jobs, notify]);
  return (jobs ?? []).filter(isUnderWay);
}

const ENDINGS: Readonly<Record<JobStatus["state"], string>> = {
  running: "under way",
  paused: "paused",
  done: "done",
  cancelled: "cancelled; what was done so far stays",
  failed: "stopped",
};

/** Long work, in one place: a take, a measurement, jobs of the server, and background rendering. */
export function JobDrawer() {
  const isTrial = useEngine((state) => state.status?.trial !== undefined);
  const measuringTake = useEngine((state) => state.status?.measuringTake ?? false);
  const filling = useEngine(({ status }) => {
    if (!status || status.filling.done >= status.filling.total) return false;
    return (status.mode === "filling" && status.orders.length === 0) || status.filling.paused;
  });
  const jobs = useJobsUnderWay();
  const isCarrying = useEngine((state) => state.status?.carrying !== undefined);
  const orders = useEngine((state) => state.status?.orders) ?? [];
  const bakes = useEngine((state) => state.status?.bakes) ?? [];
  const hasEngineJob = measuringTake || filling || isTrial || isCarrying || orders.length + bakes.length > 0;
  if (!hasEngineJob && jobs.length === 0) return null;
  return (
    <aside className="drawer" aria-label="Work in progress">
      {isTrial ? <TrialJob /> : measuringTake ? <TakeJob /> : filling ? <FillingJob /> : null}
      {orders.map((order) => (
        <OrderJob key={order.id} order={order} />
      ))}
      {bakes.map((bake) => (
        <BakeJob key={bake.id} bake={bake} />
      ))}
      <CarryJob />
      {jobs.map((job) => (
        <ServerJob key={job.id} job={job} />
      ))}
    </aside>
  );
}
