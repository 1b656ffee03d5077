import { framesPerSecond } from "@kinetocache/core";
import Button from "react-bootstrap/Button";
import { CartesianGrid, Line, LineChart, ReferenceLine, ResponsiveContainer, Tooltip, XAxis, YAxis } from "recharts";
import { send, useEngine } from "../../data/engineStore";
import { useTrial } from "../../data/trials";
import { useWorkspace } from "../../data/workspace";
import type { ParallelPoint } from "../../engine/protocol/event";
import { agoText, rateText } from "../../parts/format";

// More frames in parallel help when they bring at least this much.
const HELPS = 1.05;

/** The smallest number of frames in parallel beyond which no larger one brings much. */
function enough(points: readonly ParallelPoint[]): ParallelPoint {
  const best = Math.max(...points.map(({ rate }) => rate));
  return points.find(({ rate }) => rate * HELPS >= best)!;
}

/** Frames a second against frames in parallel, measured on the open composition. */
export function ParallelPanel({ cores }: { readonly cores: number }) {
  const { composition, settings, changeSettings } = useWorkspace();
  const trial = useTrial("parallelTrial");
  const points = trial?.points;
  const isMeasuring = useEngine((state) => state.status?.trial !== undefined);
  const best = points && enough(points);
  const data = points?.map(({ parallel, rate }) => ({ parallel, rate: Number(rate.toFixed(2)) }));
  return (
    <section className="sheet" aria-label="Frames in parallel, measured">
      <h2>
        Frames in parallel{" "}
        <small>
          rendered a second, nothing cached{trial ? `; ${trial.of.name}, ${agoText(trial.atMs, Date.now())}` : ""}
        </small>
      </h2>
      {data && best ? (
        <>
          <ResponsiveContainer width="100%" height={130}>
            <LineChart data={data} margin={{ top: 8, right: 12, bottom: 0, left: 0 }}>
              <CartesianGrid stroke="var(--rule)" vertical={false} />
              <XAxis
                dataKey="parallel"
                type="number"
                domain={["dataMin", "dataMax"]}
                ticks={data.map(({ parallel }) => parallel)}
                stroke="var(--ink-2)"
                tick={{ fontSize: "0.6875rem" }}
              />
              <YAxis stroke="var(--ink-2)" tick={{ fontSize: "0.6875rem" }} width="auto" unit=" fps" />
              <Tooltip
                labelFormatter={(parallel) => `${String(parallel)} in parallel`}
                contentStyle={{ background: "var(--sheet)", borderColor: "var(--rule)", color: "var(--ink)" }}
              />
              <ReferenceLine y={framesPerSecond(composition.rate)} stroke="var(--ink)" strokeDasharray="4 3" />
              <Line dataKey="rate" unit=" fps" stroke="var(--ink)" strokeWidth={2} isAnimationActive={false} />
            </LineChart>
          </ResponsiveContainer>
          <p className="control-note">
            {best.parallel === points.at(-1)!.parallel
              ? `All ${best.parallel} help: ${rateText(best.rate)} fps.`
              : `More than ${best.parallel} hardly help: ${rateText(best.rate)} fps there.`}{" "}
            Fewer than {cores} leave cores to other programs.
          </p>
        </>
      ) : (
        <p className="empty">Not measured yet. It takes a few seconds, and stops as soon as you do anything.</p>
      )}
      <div className="sheet-row what-if-save">
        <Button
          size="sm"
          variant="dark"
          disabled={isMeasuring}
          onClick={() => send({ kind: "measureParallel", cores })}
        >
          Measure the curve
        </Button>
        {best && best.parallel !== settings.parallel ? (
          <Button size="sm" variant="outline-dark" onClick={() => changeSettings({ parallel: best.parallel })}>
            Use {best.parallel}
          </Button>
        ) : null}
      </div>
    </section>
  );
}
