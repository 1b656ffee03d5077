import {
  asSimulated,
  FULL_QUALITY,
  LEAST_HOST_LIMIT,
  mostParallel,
  workingBuffers,
  type LiveFigures,
  type MachineSheet,
} from "@kinetocache/core";
import { useMemo, useState, type ReactNode } from "react";
import { useEngine } from "../../data/engineStore";
import {
  changeMachineSettings,
  sheetSettings,
  useChosenMachine,
  useMachineSettings,
  useSimulatedFigures,
} from "../../data/machine";
import { useLiveMachine } from "../../data/liveMachine";
import { useHardware } from "../../data/server";
import { SMALLEST_BUDGET } from "../../data/settings";
import { useWorkspace } from "../../data/workspace";
import { previewQuality } from "../../engine/tradeOffs";
import { Amount } from "../../parts/Amount";
import { bytesText, fractionText, secondsText } from "../../parts/format";
import { ShortcutsSheet } from "../../parts/shortcuts";
import { Waiting } from "../../parts/Waiting";
import { CacheBuys } from "./CacheBuys";
import { Comparison } from "./Comparison";
import { Conditions, HardwareList } from "./Conditions";
import { GraphicsPanel } from "./GraphicsPanel";
import { MemoryBar } from "./MemoryBar";
import { defaultKeptFree, planMemory, preview, type Shares } from "./memoryPlan";
import { ParallelPanel } from "./ParallelPanel";
import { ProgramTable } from "./ProgramTable";
import { SheetPanel } from "./SheetPanel";
import { StatedGraphics } from "./StatedGraphics";
import { WhatIf } from "./WhatIf";
import "./Machine.css";

const GIB = 2 ** 30;

const LEAST_CACHE_GIB = Number((SMALLEST_BUDGET / GIB).toFixed(2));
const LEAST_HOST_GIB = LEAST_HOST_LIMIT / GIB;
const MOST_HOST_GIB = 1024;

/** Working buffers of one frame in parallel, for the open composition. A parked frame is made at full size. */
function useWorkingBytes(): number {
  const { document, settings, layers } = useWorkspace();
  return useMemo(() => {
    const quality = previewQuality(settings, layers, FULL_QUALITY.renderer);
    const fraction = settings.sharpenWhenParked ? 1 : settings.fraction;
    return workingBuffers(document, { ...quality, fraction }).memoryBytes;
  }, [document, settings, layers]);
}

interface SharedProps {
  readonly figures: LiveFigures;
  readonly shares: Shares;
  readonly cores: number;
  /** Working buffers of one frame in parallel. */
  readonly oneBytes: number;
  readonly note: string;
  readonly onApply: (change: Partial<Shares>) => void;
  /** What stands below on the left, and below what the cache buys on the right. */
  readonly left: ReactNode;
  readonly right: ReactNode;
}

/** How memory is shared; below it the rest of the screen. */
function Shared({ figures, cores, shares, oneBytes, note, onApply, left, right }: SharedProps) {
  const { composition, document, settings, notify } = useWorkspace();
  const range = useEngine((state) => state.status?.range);
  const [dragged, setDragged] = useState<Partial<Shares>>();
  const shown = { ...shares, ...dragged };
  const { depth } = document;
  const plan = planMemory(shown, { figures, composition, depth, settings, oneBytes, text: bytesText });
  const { split } = plan;
  const rangeFrames = range ? range.out - range.in : composition.duration;
  const apply = (change: Partial<Shares>) => {
    setDragged(undefined);
    onApply(change);
  };
  const here = preview(split.cacheBytes, composition, { fraction: settings.fraction, depth }, rangeFrames);
  const room = split.installedBytes - split.systemBytes - split.programsBytes;
  // As on Preview: more than there are cores gains nothing.
  const parallelRoom = Math.min(cores, mostParallel(split, oneBytes));
  const refuse = (what: string, least: number, most: number) => (typed: number) =>
    notify(`${typed} GB is out of range for "${what}": ${least} to ${most} GB. Nothing changed.`);
  const refuseHost = (typed: number) =>
    notify(
      `A host limit of ${typed} GB is out of range: ${LEAST_HOST_GIB} to ${MOST_HOST_GIB} GB, or 0 for none. Nothing changed.`,
    );
  const roomGib = Number((room / GIB).toFixed(2));
  return (
    <>
      <div className="page-head">
        <h1>{plan.sentence}</h1>
        <span>{plan.detail}</span>
      </div>
      <section className="sheet" aria-label="How memory is shared">
        <MemoryBar
          plan={plan}
          shares={shown}
          mostParallel={Math.max(parallelRoom, shown.parallel)}
          cacheText={`${secondsText(here.seconds)} at ${fractionText(settings.fraction)}, ${depth}`}
          onDrag={setDragged}
          onApply={apply}
        />
        <div className="memory-amounts">
          <Amount
            id="kept-free"
            label="Kept free"
            unit="GB"
            value={Number((shown.keptFreeBytes / GIB).toFixed(2))}
            min={0}
            max={roomGib}
            step={0.1}
            onChange={(value) => apply({ keptFreeBytes: Math.round(value * GIB) })}
            onRefused={refuse("Kept free", 0, roomGib)}
          />
          <Amount
            id="parallel"
            label={`Frames in parallel, ${bytesText(oneBytes)} each`}
            unit=""
            value={shown.parallel}
            min={1}
            max={Math.max(parallelRoom, shown.parallel)}
            onChange={(parallel) => apply({ parallel: Math.round(parallel) })}
          />
          <Amount
            id="cache"
            label="Memory cache"
            unit="GB"
            value={Number((shown.cacheBytes / GIB).toFixed(2))}
            min={LEAST_CACHE_GIB}
            max={roomGib}
            step={0.1}
            onChange={(value) => apply({ cacheBytes: Math.round(value * GIB) })}
            onRefused={refuse("Memory cache", LEAST_CACHE_GIB, roomGib)}
          />
          <Amount
            id="host-limit"
            label="Host limit, 0 for none"
            unit="GB"
            value={Number(((shown.hostLimitBytes ?? 0) / GIB).toFixed(2))}
            min={0}
            max={MOST_HOST_GIB}
            step={1}
            onChange={(value) => {
              if (value > 0 && value < LEAST_HOST_GIB) refuseHost(value);
              else apply({ hostLimitBytes: value === 0 ? undefined : Math.round(value * GIB) });
            }}
            onRefused={refuseHost}
          />
        </div>
        <p className="control-note">{note}</p>
      </section>
      <div className="screen-columns">
        <div>{left}</div>
        <div>
          <CacheBuys cacheBytes={split.cacheBytes} rangeFrames={rangeFrames} />
          {right}
        </div>
      </div>
    </>
  );
}

function ThisMachine() {
  const { settings, changeSettings } = useWorkspace();
  const { figures, lost } = useLiveMachine();
  const { data: hardware } = useHardware();
  const machine = useMachineSettings();
  const oneBytes = useWorkingBytes();
  if (!figures || !machine)
    return <Waiting for={lost ? "The server does not answer; waiting for it…" : "Looking at the machine…"} />;
  const shares: Shares = {
    keptFreeBytes: machine.keptFreeBytes ?? defaultKeptFree(figures.machine.installedBytes),
    parallel: settings.parallel,
    cacheBytes: settings.memoryBudgetBytes,
    hostLimitBytes: machine.hostLimitBytes,
  };
  const apply = (change: Partial<Shares>) => {
    const { cacheBytes, parallel } = change;
    if (cacheBytes !== undefined) changeSettings({ memoryBudgetBytes: Math.max(SMALLEST_BUDGET, cacheBytes) });
    if (parallel !== undefined) changeSettings({ parallel });
    if ("keptFreeBytes" in change) void changeMachineSettings({ keptFreeBytes: change.keptFreeBytes });
    if ("hostLimitBytes" in change) void changeMachineSettings({ hostLimitBytes: change.hostLimitBytes });
  };
  return (
    <main className="page">
      <Shared
        figures={figures}
        cores={navigator.hardwareConcurrency}
        oneBytes={oneBytes}
        shares={shares}
        note="Drag a boundary or type. What is set here is in force at once; lowering the cache gives its memory back."
        onApply={apply}
        left={
          <>
            {lost ? (
              <p className="control-warning">The server does not answer: these figures are the last it gave.</p>
            ) : null}
            {figures.rulesProblem ? <p className="control-warning">{figures.rulesProblem}</p> : null}
            <ProgramTable programs={figures.programs} real />
            <GraphicsPanel hardware={hardware} />
            <SheetPanel hardware={hardware} />
            {hardware ? (
              <WhatIf sheet={asSimulated(figures, hardware, sheetSettings(settings, shares.keptFreeBytes), 0)} />
            ) : null}
          </>
        }
        right={
          <>
            <ParallelPanel cores={navigator.hardwareConcurrency} />
            <Conditions figures={figures} />
            <HardwareList hardware={hardware} />
          </>
        }
      />
      <ShortcutsSheet shortcuts={[]} title="Machine" />
    </main>
  );
}

function sharesOf({ settings, hostLimitBytes, hardware }: MachineSheet): Shares {
  return {
    keptFreeBytes: Number(settings.keptFreeBytes ?? defaultKeptFree(hardware.installedBytes)),
    parallel: Number(settings.parallel ?? 1),
    cacheBytes: Number(settings.memoryBudgetBytes ?? SMALLEST_BUDGET),
    hostLimitBytes,
  };
}

interface SimulatedProps {
  readonly sheet: MachineSheet;
  readonly id: number | undefined;
  readonly figures: LiveFigures;
}

function SimulatedMachine({ sheet, id, figures }: SimulatedProps) {
  const [change, setChange] = useState<Partial<Shares>>({});
  const oneBytes = useWorkingBytes();
  const shares = { ...sharesOf(sheet), ...change };
  const speed = sheet.simulation?.speed ?? 1;
  return (
    <main className="page">
      <Shared
        figures={figures}
        cores={sheet.hardware.cores}
        oneBytes={oneBytes}
        shares={shares}
        note={`${sheet.name} is simulated: its figures come from its data file, and nothing set here changes this machine.`}
        onApply={(more) => setChange({ ...change, ...more })}
        left={
          <>
            <ProgramTable programs={figures.programs} real={false} />
            <StatedGraphics sheet={sheet} parallel={shares.parallel} oneBytes={oneBytes} />
            <Comparison name={sheet.name} figures={figures} shares={shares} speed={speed} oneBytes={oneBytes} />
            <WhatIf sheet={sheet} id={id} />
          </>
        }
        right={
          <>
            <Conditions figures={figures} />
            <HardwareList hardware={sheet.hardware} />
          </>
        }
      />
      <ShortcutsSheet shortcuts={[]} title="Machine" />
    </main>
  );
}

/** Memory shared out, who else takes it, and what slows the machine down. */
export function Machine() {
  const chosen = useChosenMachine();
  const figures = useSimulatedFigures();
  if (!chosen || !figures) return <ThisMachine />;
  return <SimulatedMachine key={chosen.sheet.name} sheet={chosen.sheet} id={chosen.id} figures={figures} />;
}
