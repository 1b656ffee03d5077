import {
  FRACTIONS,
  frameBudgetMs,
  frameBytes,
  framesThatFit,
  graphicsVerdict,
  largestBudget,
  nextSteps,
  smallestBudgetOf,
  type NextStep,
  type RenderDevice,
  type StepStanding,
} from "@kinetocache/core";
import { useLiveQuery } from "dexie-react-hooks";
import Button from "react-bootstrap/Button";
import Table from "react-bootstrap/Table";
import { Link, useNavigate } from "react-router";
import { usedBytes } from "../../data/room";
import { database } from "../../data/database";
import { send, useEngine } from "../../data/engineStore";
import { useDiskCache } from "../../data/locations";
import { useReadBack } from "../../data/readBack";
import { useMachine } from "../../data/server";
import { useTrial, type GraphicsTrial } from "../../data/trials";
import { useStanding, type Standing } from "../../parts/standing";
import { useWorkspace } from "../../data/workspace";
import {
  bytesText,
  deviceText,
  durationText,
  fractionText,
  framesText,
  msText,
  percentText,
  rateText,
} from "../../parts/format";
import { ShortcutsSheet } from "../../parts/shortcuts";
import { Waiting } from "../../parts/Waiting";
import { TakesChart } from "./TakesChart";
import "./Bench.css";

// As many takes as the chart shows.
const SHOWN_TAKES = 8;

interface Budget {
  readonly name: string;
  readonly stands: string;
  readonly reason: string;
  readonly over: boolean;
  /** No measurement stands behind all of it. */
  readonly isEstimate?: boolean;
  readonly to: string;
}

/** The four budgets, each with why it stands as it does. */
function useBudgets(standing: Standing): readonly Budget[] {
  const { composition, document, settings } = useWorkspace();
  const disk = useDiskCache().location?.contents;
  const readBack = useReadBack();
  const layerCosts = useEngine((engine) => engine.status?.layerCosts);
  const budgetMs = frameBudgetMs(composition.rate);
  const { fraction } = settings;
  const fit = framesThatFit(settings.memoryBudgetBytes, frameBytes(composition, fraction, document.depth));
  const dearest = layerCosts?.reduce((a, b) => ((b.rangeMs ?? 0) > (a.rangeMs ?? 0) ? b : a), layerCosts[0]!);
  const layer = composition.layers.find(({ id }) => id === dearest?.layer);
  const isKnown = standing.known > 0;
  const estimate = dearest?.rangeMeasured ? "" : " (est.)";
  return [
    {
      name: "Frame time",
      stands: isKnown ? `${msText(standing.meanMs)} of ${msText(budgetMs)}` : "not known yet",
      reason: !isKnown
        ? `a frame has ${msText(budgetMs)}; its cost is being measured`
        : layer
          ? `${framesText(standing.overBudget)} over budget; ${layer.name} costs most, ${msText(dearest!.rangeMs ?? 0)} a frame${estimate}`
          : `${framesText(standing.overBudget)} over budget`,
      over: standing.overBudget > 0,
      isEstimate: isKnown && !standing.measured,
      to: "/preview",
    },
    {
      name: "Memory",
      stands: bytesText(settings.memoryBudgetBytes),
      reason:
        fit >= standing.frames
          ? `holds all ${framesText(standing.frames)} of the range; ${standing.inMemory} are in it`
          : `holds ${fit} of the ${framesText(standing.frames)} of the range at ${fractionText(fraction)}`,
      over: fit < standing.frames,
      to: "/machine",
    },
    {
      name: "Disk space",
      stands: disk ? `${bytesText(usedBytes(disk))} of ${bytesText(disk.settings.capBytes)}` : "no server",
      reason: disk
        ? `${framesText(disk.frames)} on disk, ${bytesText(disk.freeBytes)} free on the drive`
        : "not known while the server is away",
      over: disk !== undefined && usedBytes(disk) > 0.98 * disk.settings.capBytes,
      to: "/sweep",
    },
    {
      name: "Read-back",
      stands: readBack.rate === undefined ? "not measured" : `${bytesText(readBack.rate)}/s`,
      reason: `playing from disk needs ${bytesText(readBack.needed)}/s`,
      // What is in memory need not be read.
      over: standing.held > standing.inMemory && readBack.rate !== undefined && readBack.rate < readBack.needed,
      to: "/storage",
    },
  ];
}

/** What the last trial of this composition says against the device in use, where the difference is no noise. */
function fasterDevice(
  trial: GraphicsTrial | undefined,
  document: string,
  present: RenderDevice,
): StepStanding["faster"] {
  const results = trial?.of.id === document ? trial.results : [];
  const verdict = graphicsVerdict(results);
  const now = results.find(({ device }) => device === present);
  if (!verdict || verdict.close || verdict.best === present || !now || !("rate" in now)) return undefined;
  return { device: verdict.best, rate: verdict.bestRate, presentRate: now.rate };
}

/** The next smaller preview size; undefined below the smallest. */
function smallerThan(fraction: number): number | undefined {
  return FRACTIONS.find((size) => size < fraction);
}

function useSteps(standing: Standing): readonly NextStep[] {
  const { composition, document, settings } = useWorkspace();
  const { data: machine } = useMachine();
  const memory = useEngine((engine) => engine.status?.memory);
  const { fraction } = settings;
  const bytes = frameBytes(composition, fraction, document.depth);
  const working = memory?.workingBytes ?? 0;
  const most = machine
    ? largestBudget(machine, (memory?.usedBytes ?? 0) + working, working)
    : settings.memoryBudgetBytes;
  const mostFrames = framesThatFit(most, bytes);
  const smaller = smallerThan(fraction);
  return nextSteps({
    rate: composition.rate,
    rangeFrames: standing.frames,
    heldFrames: standing.inMemory,
    fitFrames: framesThatFit(settings.memoryBudgetBytes, bytes),
    mostFrames,
    wantedBytes: smallestBudgetOf(Math.min(standing.frames, mostFrames), bytes),
    meanMs: standing.meanMs,
    parallel: settings.parallel,
    cores: machine?.cores ?? settings.parallel,
    smallerShare: smaller === undefined ? undefined : (smaller / fraction) ** 2,
    fillMs: useEngine((engine) => engine.status?.filling.intoMemoryMs),
    fills: settings.background === "Idle",
    faster: fasterDevice(useTrial("graphicsTrial"), document.id, settings.effectsOn),
    isMeasured: standing.summary !== undefined,
    isRealTime: standing.isRealTime,
  });
}

/** One step in words, with what it would give and the button that takes it. */
function Step({ step }: { readonly step: NextStep }) {
  const { settings, changeSettings } = useWorkspace();
  const navigate = useNavigate();
  const words = wordsOf(step);
  const take = () => {
    switch (step.kind) {
      case "measure":
        send({ kind: "measureTake" });
        void navigate("/preview");
        break;
      case "fill":
        changeSettings({ background: "Idle" });
        void navigate("/preview");
        break;
      case "device":
        changeSettings({ effectsOn: step.device });
        break;
      case "memory":
        changeSettings({ memoryBudgetBytes: step.bytes });
        break;
      case "parallel":
        changeSettings({ parallel: step.parallel });
        break;
      case "size":
        changeSettings({ fraction: smallerThan(settings.fraction)!, tradeOffs: true });
        break;
    }
  };
  return (
    <li className="step">
      <div>
        <strong>{words.title}</strong>
        <span className="why">{words.gives}</span>
      </div>
      <Button size="sm" variant="dark" onClick={take}>
        {words.action}
      </Button>
    </li>
  );
}

function wordsOf(step: NextStep): { readonly title: string; readonly gives: string; readonly action: string } {
  switch (step.kind) {
    case "measure":
      return {
        title: "Measure a take",
        gives: "shows the rate it really reaches, and where the time goes",
        action: "Measure",
      };
    case "fill":
      return {
        title: step.isOff ? "Switch background rendering on" : "Let background rendering fill memory",
        gives:
          step.ms === undefined
            ? `${framesText(step.frames)} held then`
            : `${framesText(step.frames)} held after about ${durationText(step.ms)} (est.)`,
        action: step.isOff ? "Switch on" : "Watch it",
      };
    case "device":
      return {
        title: `Render on the ${deviceText(step.device)}`,
        gives: `measured: ${rateText(step.rate)} frames a second against ${rateText(step.presentRate)} now`,
        action: "Use it",
      };
    case "memory":
      return {
        title: `Give the cache ${bytesText(step.bytes)}`,
        gives: `holds ${framesText(step.frames)} of the range; they play in real time once they are filled (est.)`,
        action: "Raise",
      };
    case "parallel":
      return {
        title: `Render ${step.parallel} frames in parallel`,
        gives: `about ${rateText(step.rate)} fps with nothing cached (est.)`,
        action: "Set it",
      };
    case "size":
      return {
        title: "Make the preview smaller",
        gives: `about ${rateText(step.rate)} fps with nothing cached (est.); the output stays as it is`,
        action: "Make it smaller",
      };
  }
}

function headingOf(steps: readonly NextStep[], { isRealTime }: Standing): string {
  if (steps.length > 0) return "What would help most";
  return isRealTime ? "Nothing more is needed" : "No setting would help more";
}

/** Where things stand, and the cheapest next step. */
function Stands({ standing }: { readonly standing: Standing }) {
  const { composition, document } = useWorkspace();
  const budgets = useBudgets(standing);
  const steps = useSteps(standing);
  const takes = useLiveQuery(
    () => database.takes.where("document.id").equals(document.id).reverse().limit(SHOWN_TAKES).toArray(),
    [document.id],
  );
  return (
    <main className="page">
      <div className="page-head">
        <h1>
          {composition.name}: {standing.answer.charAt(0).toLowerCase() + standing.answer.slice(1)}
        </h1>
        <span>{standing.detail}</span>
      </div>
      <div className="screen-columns">
        <div>
          <section className="sheet" aria-label="The four budgets">
            <h2>The four budgets</h2>
            <Table size="sm">
              <tbody>
                {budgets.map(({ name, stands, reason, over, isEstimate, to }) => (
                  <tr key={name}>
                    <th scope="row">
                      <Link to={to}>{name}</Link>
                    </th>
                    <td className={`number budget-stands ${over ? "is-short" : ""}`}>
                      {stands}
                      {isEstimate ? <small> est.</small> : null}
                    </td>
                    <td className="why">{reason}</td>
                  </tr>
                ))}
              </tbody>
            </Table>
          </section>
          <section className="sheet" aria-label="Last takes">
            <h2>
              Last takes <small>share of frames on time</small>
            </h2>
            {takes && takes.length > 0 ? (
              <TakesChart takes={[...takes].reverse()} />
            ) : (
              <p className="empty">No take of {composition.name} has been measured yet.</p>
            )}
          </section>
        </div>
        <section className="sheet" aria-label="Next steps">
          <h2>{headingOf(steps, standing)}</h2>
          {steps.length > 0 ? (
            <ol className="steps">
              {steps.map((step) => (
                <Step key={step.kind} step={step} />
              ))}
            </ol>
          ) : (
            <p className="empty">
              {standing.isRealTime
                ? `${percentText(standing.summary!.onTimeShare)} of frames were on time in the last take. Stop here and go on with the work.`
                : "Memory, size and frames in parallel are at their limits. Something may have disturbed the last take: measure another, or lighten the heaviest layers."}
            </p>
          )}
        </section>
      </div>
      <ShortcutsSheet shortcuts={[]} title="Bench" />
    </main>
  );
}

/** The first screen: one sentence, the four budgets, the last takes, and what to do next. */
export function Bench() {
  const standing = useStanding();
  return standing ? <Stands standing={standing} /> : <Waiting for="Reading the timeline…" />;
}
