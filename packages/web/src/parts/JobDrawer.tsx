import { Pause, Play, Square } from "lucide-react";
import { useEffect, useRef } from "react";
import Button from "react-bootstrap/Button";
import { send, useEngine } from "../data/engineStore";
import { isUnderWay, steerJob, useJobs, type JobStatus } from "../data/server";
import { useWorkspace } from "../data/workspace";
import { durationText } from "./format";
import { Progress } from "./Progress";

function TakeJob() {
  const range = useEngine((state) => state.status!.range);
  const playhead = useEngine((state) => state.status!.playhead);
  const done = playhead - range.in + 1;
  const total = range.out - range.in;
  return (
    <div className="drawer-job">
      <div className="drawer-text">
        <strong>Measuring a take</strong>
        <span className="mono">
          {done} / {total}
        </span>
      </div>
      <Progress label="Frames of the take" now={done} max={total} />
      <Button size="sm" variant="outline-dark" onClick={() => send({ kind: "pause" })}>
        <Square size={13} aria-hidden="true" /> Stop
      </Button>
    </div>
  );
}

function FillingJob() {
  const { changeSettings } = useWorkspace();
  const { paused, held, total, remainingMs } = useEngine((state) => state.status!.filling);
  return (
    <div className="drawer-job">
      <div className="drawer-text">
        <strong>{paused ? "Background rendering, paused" : "Background rendering"}</strong>
        <span className="mono">
          {held} / {total}
          {remainingMs !== undefined ? ` · ${durationText(remainingMs)} left (est.)` : ""}
        </span>
      </div>
      <Progress label="Frames held" now={held} max={total} />
      <Button size="sm" variant="outline-dark" onClick={() => send({ kind: "pauseFilling", paused: !paused })}>
        {paused ? <Play size={13} aria-hidden="true" /> : <Pause size={13} aria-hidden="true" />}{" "}
        {paused ? "Go on" : "Pause"}
      </Button>
      <Button
        size="sm"
        variant="outline-dark"
        onClick={() => {
          send({ kind: "pauseFilling", paused: false });
          changeSettings({ background: "Off" });
        }}
      >
        Turn off
      </Button>
    </div>
  );
}

function TrialJob() {
  const trial = useEngine((state) => state.status?.trial);
  if (!trial) return null;
  return (
    <div className="drawer-job">
      <div className="drawer-text">
        <strong>Measuring {trial.of}</strong>
        <span className="mono">{trial.step}</span>
      </div>
      <Progress label="Share of the measurement" now={Math.round(100 * trial.progress)} max={100} />
      <Button size="sm" variant="outline-dark" onClick={() => send({ kind: "touch" })}>
        <Square size={13} aria-hidden="true" /> Stop
      </Button>
    </div>
  );
}

function ServerJob({ job }: { readonly job: JobStatus }) {
  const { notify } = useWorkspace();
  const steer = (wish: "pause" | "resume" | "cancel") =>
    void steerJob(job.id, wish).catch((error: unknown) => notify((error as Error).message));
  const isPaused = job.state === "paused";
  return (
    <div className="drawer-job">
      <div className="drawer-text">
        <strong>{isPaused ? `${job.title}, paused` : job.title}</strong>
        <span className="mono">{job.detail}</span>
      </div>
      <Progress label={job.title} now={Math.round(100 * job.progress)} max={100} />
      <Button size="sm" variant="outline-dark" onClick={() => steer(isPaused ? "resume" : "pause")}>
        {isPaused ? <Play size={13} aria-hidden="true" /> : <Pause size={13} aria-hidden="true" />}{" "}
        {isPaused ? "Go on" : "Pause"}
      </Button>
      <Button size="sm" variant="outline-dark" onClick={() => steer("cancel")}>
        <Square size={13} aria-hidden="true" /> Cancel
      </Button>
    </div>
  );
}

function CarryJob() {
  const carrying = useEngine((state) => state.status?.carrying);
  if (!carrying) return null;
  return (
    <div className="drawer-job">
      <div className="drawer-text">
        <strong>Moving frames to another location</strong>
        <span className="mono">
          {carrying.done} of {carrying.total} frames
        </span>
      </div>
      <Progress label="Frames moved" now={carrying.done} max={Math.max(1, carrying.total)} />
      <Button size="sm" variant="outline-dark" onClick={() => send({ kind: "stopCarrying" })}>
        <Square size={13} aria-hidden="true" /> Stop
      </Button>
    </div>
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
    for (const { id, title, state, detail } of ended) {
      if (told.current.has(id)) continue;
      told.current.add(id);
      // Frames are elsewhere now.
      send({ kind: "diskChanged" });
      notify(`${title}: ${ENDINGS[state]}${detail ? `, ${detail}` : ""}.`);
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
    if (!status || status.filling.held >= status.filling.total) return false;
    return status.mode === "filling" || status.filling.paused;
  });
  const jobs = useJobsUnderWay();
  const isCarrying = useEngine((state) => state.status?.carrying !== undefined);
  if (!measuringTake && !filling && !isTrial && !isCarrying && jobs.length === 0) return null;
  return (
    <aside className="drawer" aria-label="Work in progress">
      {isTrial ? <TrialJob /> : measuringTake ? <TakeJob /> : filling ? <FillingJob /> : null}
      <CarryJob />
      {jobs.map((job) => (
        <ServerJob key={job.id} job={job} />
      ))}
    </aside>
  );
}
