import { documentKey, frameBudgetMs, framesPerSecond, IN_MEMORY, isRealTime } from "@kinetocache/core";
import { useLiveQuery } from "dexie-react-hooks";
import { useMemo } from "react";
import { database } from "../../data/database";
import { useEngine } from "../../data/engineStore";
import { useWorkspace } from "../../data/workspace";
import { framesText, percentText, rateText } from "../../parts/format";

/** The answer first: does it play in real time, and what is held. */
export function Verdict() {
  const { composition, document, settings } = useWorkspace();
  const state = useMemo(() => documentKey(document), [document]);
  const timeline = useEngine((state) => state.timeline);
  const range = useEngine((state) => state.status?.range);
  const take = useLiveQuery(() => database.takes.where("document.id").equals(document.id).last(), [document.id]);
  if (!timeline || !range || timeline.costs.length !== composition.duration)
    return (
      <div className="verdict">
        <h1>Reading the timeline…</h1>
      </div>
    );

  const budget = frameBudgetMs(composition.rate);
  const total = range.out - range.in;
  let inMemory = 0;
  let over = 0;
  let known = 0;
  for (let frame = range.in; frame < range.out; frame++) {
    if (timeline.residency[frame]! & IN_MEMORY) inMemory++;
    if (timeline.costs[frame]! > 0) known++;
    if (timeline.costs[frame]! > budget) over++;
  }
  const rate = rateText(framesPerSecond(composition.rate));
  const isAllHeld = inMemory === total;
  // A take speaks for the present while nothing that decides its outcome has changed since.
  const isOfNow =
    take?.document.state === state &&
    take.settings.fraction === settings.fraction &&
    take.settings.effects === settings.effects &&
    take.settings.parallel === settings.parallel &&
    take.settings.pacing === settings.pacing &&
    take.range.in === range.in &&
    take.range.out === range.out &&
    (!isAllHeld || take.heldAtStart.memory >= total);
  const measured = take && isOfNow ? take.summary : undefined;
  const answer = measured
    ? isRealTime(measured)
      ? `Plays in real time, ${rate} fps`
      : `Plays ${percentText(measured.onTimeShare)} of its frames on time`
    : isAllHeld
      ? `Should play in real time, ${rate} fps`
      : known === 0
        ? "Not measured yet"
        : `About ${percentText(over / total)} of frames are over budget`;
  const detail = measured
    ? `last take: ${rateText(measured.reachedRate)} of ${rate} fps, ${measured.skipped} skipped, ${measured.late} late`
    : take
      ? "estimated; changed since the last take"
      : "estimated; measure a take to know";
  return (
    <div className="verdict">
      <h1>{answer}</h1>
      <span>{detail}</span>
      <span className="verdict-held">
        {inMemory === total
          ? `all ${framesText(total)} in memory`
          : `${inMemory.toLocaleString("en")} of ${framesText(total)} in memory`}
      </span>
    </div>
  );
}
