import {
  CartesianGrid,
  Legend,
  Line,
  LineChart,
  ReferenceLine,
  ResponsiveContainer,
  Tooltip,
  XAxis,
  YAxis,
} from "recharts";
import type { StoredTake } from "../../data/database";

interface TakeChartProps {
  readonly first: StoredTake;
  readonly second: StoredTake | undefined;
}

interface Point {
  readonly frame: number;
  readonly first?: number;
  readonly second?: number;
}

/** How long after its due time each frame was shown; a skipped frame leaves a gap. */
function points(first: StoredTake, second: StoredTake | undefined): Point[] {
  const rows = new Map<number, { frame: number; first?: number; second?: number }>();
  const add = (take: StoredTake, name: "first" | "second") => {
    for (const { frame, dueMs, shownMs } of take.frames) {
      const row = rows.get(frame) ?? { frame };
      if (shownMs !== undefined) row[name] = Number((shownMs - dueMs).toFixed(2));
      rows.set(frame, row);
    }
  };
  add(first, "first");
  if (second) add(second, "second");
  return [...rows.values()].sort((a, b) => a.frame - b.frame);
}

/** Shown times against due times. */
export function TakeChart({ first, second }: TakeChartProps) {
  const budget = first.budgetMs;
  return (
    <ResponsiveContainer width="100%" height={210}>
      <LineChart data={points(first, second)} margin={{ top: 8, right: 12, bottom: 4, left: 4 }}>
        <CartesianGrid stroke="var(--rule)" vertical={false} />
        <XAxis
          dataKey="frame"
          type="number"
          domain={["dataMin", "dataMax"]}
          tickCount={11}
          allowDecimals={false}
          tick={{ fontSize: 11, fill: "var(--ink-2)" }}
          stroke="var(--rule)"
          label={{ value: "frame", position: "insideBottomRight", offset: 0, fontSize: 11, fill: "var(--ink-2)" }}
        />
        <YAxis width={52} unit=" ms" tick={{ fontSize: 11, fill: "var(--ink-2)" }} stroke="var(--rule)" />
        <Tooltip
          contentStyle={{ background: "var(--sheet)", border: "1px solid var(--rule)", fontSize: 12 }}
          labelFormatter={(frame) => `frame ${String(frame)}`}
        />
        <Legend wrapperStyle={{ fontSize: 12 }} />
        <ReferenceLine
          y={budget}
          stroke="var(--ink)"
          strokeDasharray="4 4"
          label={{ value: "next frame due", position: "insideBottomRight", fontSize: 11, fill: "var(--ink-2)" }}
        />
        <Line
          isAnimationActive={false}
          name={`Take ${first.id}`}
          dataKey="first"
          stroke="var(--ink-2)"
          strokeDasharray="5 3"
          dot={{ r: 1.5 }}
          connectNulls={false}
        />
        {second ? (
          <Line
            isAnimationActive={false}
            name={`Take ${second.id}`}
            dataKey="second"
            stroke="var(--good)"
            dot={{ r: 1.5 }}
            connectNulls={false}
          />
        ) : null}
      </LineChart>
    </ResponsiveContainer>
  );
}
