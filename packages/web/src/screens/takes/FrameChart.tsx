import { CartesianGrid, Legend, Line, LineChart, ResponsiveContainer, Tooltip, XAxis, YAxis } from "recharts";
import type { StoredTake } from "../../data/database";
import { takeName } from "../../data/takes";

/** What is drawn of a take: a value in milliseconds for some of its frames. */
type FrameValues = (take: StoredTake) => Iterable<readonly [frame: number, ms: number | undefined]>;

interface FrameChartProps {
  readonly first: StoredTake;
  readonly second: StoredTake | undefined;
  readonly values: FrameValues;
  /** What the line of the frame budget is called. */
  readonly limit: string;
}

interface Point {
  readonly frame: number;
  readonly limit: number;
  first?: number;
  second?: number;
}

/** A frame without a value leaves a gap. */
function pointsOf({ first, second, values }: FrameChartProps): Point[] {
  const rows = new Map<number, Point>();
  const limit = Number(first.budgetMs.toFixed(2));
  const add = (take: StoredTake, name: "first" | "second") => {
    for (const [frame, ms] of values(take)) {
      const row = rows.get(frame) ?? { frame, limit };
      if (ms !== undefined) row[name] = Number(ms.toFixed(2));
      rows.set(frame, row);
    }
  };
  add(first, "first");
  if (second) add(second, "second");
  return [...rows.values()].sort((a, b) => a.frame - b.frame);
}

const TICK = { fontSize: "0.6875rem", fill: "var(--ink-2)" };

/** One take against another, frame by frame. */
export function FrameChart(props: FrameChartProps) {
  const { first, second, limit } = props;
  const line = { isAnimationActive: false, dot: false, connectNulls: false };
  return (
    <ResponsiveContainer width="100%" height={210}>
      <LineChart data={pointsOf(props)} margin={{ top: 8, right: 12, bottom: 4, left: 4 }}>
        <CartesianGrid stroke="var(--rule)" vertical={false} />
        <XAxis
          dataKey="frame"
          type="number"
          domain={["dataMin", "dataMax"]}
          tickCount={11}
          allowDecimals={false}
          tick={TICK}
          stroke="var(--rule)"
          label={{ value: "frame", position: "insideBottomRight", offset: 0, ...TICK }}
        />
        <YAxis width="auto" unit=" ms" tick={TICK} stroke="var(--rule)" />
        <Tooltip
          contentStyle={{ background: "var(--sheet)", border: "1px solid var(--rule)", fontSize: "0.75rem" }}
          labelFormatter={(frame) => `frame ${String(frame)}`}
        />
        <Legend wrapperStyle={{ fontSize: "0.75rem" }} />
        <Line {...line} name={limit} dataKey="limit" stroke="var(--ink)" strokeDasharray="4 4" />
        <Line {...line} name={takeName(first)} dataKey="first" stroke="var(--ink-2)" strokeDasharray="5 3" />
        {second ? <Line {...line} name={takeName(second)} dataKey="second" stroke="var(--good)" /> : null}
      </LineChart>
    </ResponsiveContainer>
  );
}
