import { Bar, BarChart, ResponsiveContainer, Tooltip, XAxis, YAxis } from "recharts";
import type { StoredTake } from "../../data/database";

/** Share on time of the last takes, oldest first. */
export function TakesChart({ takes }: { readonly takes: readonly StoredTake[] }) {
  const data = takes.map(({ id, summary }) => ({
    name: `Take ${id}`,
    "on time": Number((summary.onTimeShare * 100).toFixed(1)),
  }));
  return (
    <ResponsiveContainer width="100%" height={150}>
      <BarChart data={data} margin={{ top: 18, right: 8, bottom: 0, left: 0 }}>
        <XAxis dataKey="name" stroke="var(--ink-2)" tick={{ fontSize: "0.6875rem" }} tickLine={false} />
        <YAxis domain={[0, 100]} unit=" %" stroke="var(--ink-2)" tick={{ fontSize: "0.6875rem" }} width="auto" />
        <Tooltip
          cursor={{ fill: "var(--well)" }}
          contentStyle={{ background: "var(--sheet)", borderColor: "var(--rule)", color: "var(--ink)" }}
          itemStyle={{ color: "var(--ink)" }}
        />
        <Bar
          dataKey="on time"
          unit=" %"
          fill="var(--cost)"
          maxBarSize={46}
          // A take without a frame on time is one too.
          minPointSize={2}
          isAnimationActive={false}
          label={{
            position: "top",
            fill: "var(--ink-2)",
            fontSize: "0.6875rem",
            formatter: (share) => `${String(share)} %`,
          }}
        />
      </BarChart>
    </ResponsiveContainer>
  );
}
