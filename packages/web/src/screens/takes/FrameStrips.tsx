import { Bar, BarChart, ReferenceLine, ResponsiveContainer, Tooltip, XAxis, YAxis } from "recharts";
import type { StoredTake } from "../../data/database";
import { takeName } from "../../data/takes";
import { framesText, msText } from "../../parts/format";
import { useTextScale } from "../../parts/textScale";
import { frameColumns, type FrameColumn } from "./frameColumns";
import "./FrameStrips.css";

// What is later than this many budgets is drawn no higher.
const MOST_BUDGETS = 2;
// So that a frame on time shows, too.
const LEAST_SHARE = 0.06;

interface Drawn {
  readonly first: number;
  readonly column: FrameColumn;
  readonly onTime: number;
  readonly late: number;
  readonly skipped: number;
}

function drawn(take: StoredTake): Drawn[] {
  const top = MOST_BUDGETS * take.budgetMs;
  return frameColumns(take.frames, take.budgetMs).map((column) => {
    const height = Math.min(top, Math.max(LEAST_SHARE * top, column.latenessMs));
    return {
      first: column.first,
      column,
      onTime: column.state === "on time" ? height : 0,
      late: column.state === "late" ? height : 0,
      skipped: column.state === "skipped" ? top : 0,
    };
  });
}

const TICKS = 10;

/** Frames that are named along the axis: about ten, at round numbers where a column begins at one. */
function ticksOf(rows: readonly Drawn[]): number[] {
  const length = (rows.at(-1)?.column.last ?? 0) - (rows[0]?.first ?? 0) + 1;
  const rough = Math.max(1, length / TICKS);
  const power = 10 ** Math.floor(Math.log10(rough));
  const step = power * ([1, 2, 5].find((one) => one * power >= rough) ?? 10);
  return rows.flatMap(({ column: { first, last } }) => {
    const round = Math.ceil(first / step) * step;
    return round <= last ? [first] : [];
  });
}

function columnText({ first, last, state, latenessMs, late, skipped }: FrameColumn): string {
  const which = first === last ? `frame ${first}` : `frames ${first} – ${last}`;
  if (first !== last) return `${which}: ${skipped} skipped, ${late} late`;
  return state === "skipped" ? `${which}: skipped` : `${which}: ${state}, ${msText(latenessMs)} after it was due`;
}

function Hint({ active, payload }: { active?: boolean; payload?: readonly { readonly payload: Drawn }[] }) {
  const [row] = payload ?? [];
  return active && row ? <div className="chart-hint">{columnText(row.payload.column)}</div> : null;
}

const TICK = { fontSize: "0.6875rem", fill: "var(--ink-2)" };

/** Takes one below the other, a column a frame: late ones stand out, skipped ones are hollow. */
export function FrameStrips({ takes }: { readonly takes: readonly StoredTake[] }) {
  const scale = useTextScale();
  return (
    <>
      {takes.map((take) => {
        const { late, skipped } = take.summary;
        const rows = drawn(take);
        return (
          <div className="frame-strip" key={take.id}>
            <div className="frame-strip-name">
              <strong>{takeName(take)}</strong>
              <small>
                {late} late, {skipped} skipped of {framesText(take.frames.length)}
              </small>
            </div>
            <ResponsiveContainer width="100%" height={92 * scale}>
              <BarChart data={rows} margin={{ top: 4, right: 4, bottom: 0, left: 0 }} barCategoryGap={0}>
                <XAxis dataKey="first" ticks={ticksOf(rows)} tick={TICK} stroke="var(--rule)" height={18 * scale} />
                <YAxis hide domain={[0, MOST_BUDGETS * take.budgetMs]} />
                <Tooltip cursor={{ fill: "var(--well)" }} content={<Hint />} isAnimationActive={false} />
                <Bar dataKey="onTime" stackId="one" fill="var(--cost)" isAnimationActive={false} />
                <Bar dataKey="late" stackId="one" fill="var(--over)" isAnimationActive={false} />
                <Bar
                  dataKey="skipped"
                  stackId="one"
                  fill="none"
                  stroke="var(--over)"
                  strokeWidth={1}
                  isAnimationActive={false}
                />
                <ReferenceLine y={take.budgetMs} stroke="var(--ink)" strokeDasharray="4 4" />
              </BarChart>
            </ResponsiveContainer>
          </div>
        );
      })}
      <ul className="legend frame-strip-legend" aria-label="Legend">
        <li>
          <span className="swatch swatch-on-time" /> on time; the height is how long after it was due
        </li>
        <li>
          <span className="swatch swatch-over" /> late
        </li>
        <li>
          <span className="swatch swatch-skipped" /> skipped
        </li>
        <li>dashed: the next frame is due</li>
      </ul>
    </>
  );
}
