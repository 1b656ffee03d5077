import { framesPerSecond, memoryUse, uncachedRate, type LiveFigures } from "@kinetocache/core";
import Table from "react-bootstrap/Table";
import { useEngine } from "../../data/engineStore";
import { useMachineSettings } from "../../data/machine";
import { useMachine } from "../../data/server";
import { useStanding } from "../../parts/standing";
import { useWorkspace } from "../../data/workspace";
import { bytesText, fractionText, percentText, rateText, secondsText } from "../../parts/format";
import { defaultKeptFree, planMemory, preview, type MemoryPlan, type Shares } from "./memoryPlan";

interface Side {
  readonly name: string;
  readonly simulated: boolean;
  readonly figures: LiveFigures;
  readonly shares: Shares;
  readonly plan: MemoryPlan;
  readonly speed: number;
}

interface ComparisonProps {
  readonly name: string;
  readonly figures: LiveFigures;
  readonly shares: Shares;
  readonly speed: number;
  readonly oneBytes: number;
}

/** A simulated machine beside this one: what each holds, and what each plays. */
export function Comparison({ name, figures, shares, speed, oneBytes }: ComparisonProps) {
  const { composition, document, settings } = useWorkspace();
  const { data: machine } = useMachine();
  const machineSettings = useMachineSettings();
  const memory = useEngine((state) => state.status?.memory);
  const standing = useStanding();
  if (!machine || !machineSettings) return null;
  const { depth } = document;
  const planOf = (of: LiveFigures, with_: Shares) =>
    planMemory(with_, { figures: of, composition, depth, settings, oneBytes, text: bytesText });
  // What the application itself has now is its to share out again.
  const own = (memory?.usedBytes ?? 0) + (memory?.workingBytes ?? 0);
  const here: LiveFigures = { machine: { ...machine, availableBytes: machine.availableBytes + own }, conditions: {} };
  const hereShares: Shares = {
    keptFreeBytes: machineSettings.keptFreeBytes ?? defaultKeptFree(machine.installedBytes),
    parallel: settings.parallel,
    cacheBytes: settings.memoryBudgetBytes,
    hostLimitBytes: machineSettings.hostLimitBytes,
  };
  const sides: readonly Side[] = [
    {
      name: "This machine",
      simulated: false,
      figures: here,
      shares: hereShares,
      plan: planOf(here, hereShares),
      speed: 1,
    },
    { name, simulated: true, figures, shares, plan: planOf(figures, shares), speed },
  ];
  const frames = standing?.frames ?? composition.duration;
  const held = (bytes: number) => preview(bytes, composition, { fraction: settings.fraction, depth }, frames);
  const rate = framesPerSecond(composition.rate);
  const rows: readonly {
    readonly label: string;
    readonly value: (side: Side) => string;
    readonly estimate?: boolean;
  }[] = [
    { label: "Installed memory", value: ({ figures: of }) => bytesText(of.machine.installedBytes) },
    {
      label: "Taken by others",
      value: ({ figures: of }) => {
        const { systemBytes, programsBytes } = memoryUse(of);
        return bytesText(systemBytes + programsBytes);
      },
    },
    { label: "Cache could have", value: ({ plan }) => bytesText(plan.split.mostCacheBytes) },
    {
      label: `Holds at ${fractionText(settings.fraction)}, ${depth}`,
      value: ({ plan }) => secondsText(held(plan.split.mostCacheBytes).seconds),
    },
    {
      label: "All of the range",
      value: ({ plan }) => (held(plan.split.mostCacheBytes).holdsRange ? "held" : "not held"),
    },
    { label: "Speed of rendering", value: (side) => (side.simulated ? `${side.speed} × this` : "1") },
    {
      label: "Plays with nothing cached",
      estimate: true,
      value: (side) => {
        if (!standing) return "–";
        const { parallel } = side.shares;
        const { cores } = side.figures.machine;
        const reached = uncachedRate({
          meanMs: standing.meanMs,
          speed: side.speed,
          parallel,
          cores,
          rate: composition.rate,
        });
        return `${rateText(reached)} fps, ${percentText(reached / rate)}`;
      },
    },
  ];
  return (
    <section className="sheet" aria-label="Side by side">
      <h2>
        Side by side <small>from this machine's costs, {standing?.measured ? "measured" : "partly estimated"}</small>
      </h2>
      <Table size="sm">
        <thead>
          <tr>
            <th scope="col">
              <span className="visually-hidden">What</span>
            </th>
            {sides.map((side) => (
              <th key={side.name} scope="col" className="number">
                {side.name} <small>{side.simulated ? "simulated" : "measured"}</small>
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map(({ label, value, estimate }) => (
            <tr key={label}>
              <th scope="row">
                {label} {estimate ? <small>est.</small> : null}
              </th>
              {sides.map((side) => (
                <td key={side.name} className={`number ${estimate ? "is-estimate" : ""}`}>
                  {value(side)}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </Table>
    </section>
  );
}
