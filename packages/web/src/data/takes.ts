import { isOnTime, onTimeSpread, type Spread } from "@kinetocache/core";
import type { TakenTime } from "../engine/protocol/event";
import { csvText } from "./csv";
import { database, type StoredTake } from "./database";

const TAKE_FORMAT = "kinetocache-take";
const TAKE_VERSION = 1;

/** Takes of the same series: one and those that repeat it. */
export function seriesOf(take: StoredTake, takes: readonly StoredTake[]): StoredTake[] {
  const first = take.repeats ?? take.id;
  return takes.filter(({ id, repeats }) => id === first || repeats === first);
}

/** How the share on time varies when a take is repeated. */
export function spreadOfSeries(take: StoredTake, takes: readonly StoredTake[]): Spread {
  return onTimeSpread(seriesOf(take, takes).map(({ summary }) => summary));
}

/** A take's own name, or its number. */
export function takeName({ id, name }: Pick<StoredTake, "id" | "name">): string {
  return name ? name : `Take ${id}`;
}

/** The two takes that stand side by side while none is chosen: the latest, and the one before it of the same composition. */
export function latestPair(takes: readonly StoredTake[], open: string): StoredTake[] {
  const latest = takes.find(({ document }) => document.id === open) ?? takes[0];
  return takes.filter(({ document }) => document.id === latest?.document.id).slice(0, 2);
}

/** What a part of the time of a take was spent on. */
export function partName({ layer, name, isReading }: TakenTime, names: ReadonlyMap<string, string>): string {
  if (isReading) return "Reading baked frames";
  if (layer === null) return "Stacking the layers";
  return name ?? names.get(layer) ?? "A layer that is gone";
}

/** Names a take, or notes something about it. */
export async function describeTake(id: number, change: Pick<StoredTake, "name" | "note">): Promise<void> {
  await database.takes.update(id, change);
}

/** One line a frame: number, due and shown time, where it came from, by how much it was late, what it cost. */
export function takeCsv(take: StoredTake): string {
  const { frames, budgetMs, range, costs } = take;
  const rows = frames.map((frame) => {
    const { dueMs, shownMs, origin } = frame;
    const cost = costs?.[frame.frame - range.in];
    return [
      frame.frame,
      dueMs.toFixed(3),
      shownMs?.toFixed(3) ?? "",
      origin,
      isOnTime(frame, budgetMs) ? 1 : 0,
      cost ? cost.toFixed(3) : "",
    ];
  });
  return csvText(["frame", "due_ms", "shown_ms", "origin", "on_time", "cost_ms"], rows);
}

/** The whole take, for other tools. */
export function takeJson(take: StoredTake): string {
  const { costs, measured, ...rest } = take;
  const figures = { ...rest, costs: costs && [...costs], measured: measured && [...measured] };
  return `${JSON.stringify({ format: TAKE_FORMAT, version: TAKE_VERSION, ...figures }, null, 1)}\n`;
}

/** What each frame cost at the time of a take; nothing where that was not known. */
export function* terrain({ costs, range }: StoredTake): Generator<readonly [frame: number, ms: number | undefined]> {
  for (const [index, ms] of costs?.entries() ?? []) yield [range.in + index, ms > 0 ? ms : undefined];
}
