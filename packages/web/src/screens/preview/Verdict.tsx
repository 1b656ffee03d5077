import { useStanding } from "../../parts/standing";
import { framesText, groupedText } from "../../parts/format";
import { VariantBar } from "./VariantBar";
import "./Verdict.css";

/** The answer first: does it play in real time, and what is held. */
export function Verdict() {
  const standing = useStanding();
  if (!standing)
    return (
      <div className="verdict">
        <h1>Reading the timeline…</h1>
      </div>
    );
  const { answer, detail, inMemory, frames } = standing;
  return (
    <div className="verdict">
      <h1>{answer}</h1>
      <span className="verdict-detail" title={detail}>
        {detail}
      </span>
      <span className="verdict-held">
        {inMemory === frames
          ? `all ${framesText(frames)} in memory`
          : `${groupedText(inMemory)} of ${framesText(frames)} in memory`}
      </span>
      <VariantBar />
    </div>
  );
}
