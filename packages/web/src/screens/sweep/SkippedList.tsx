import { countText } from "../../parts/format";
import type { Skipped } from "@kinetocache/core";

// More than anybody reads; the others are counted.
const MOST_LISTED = 100;

/** What stays where it is, and why. @param words what is said of them all */
export function SkippedList({ skipped, words }: { readonly skipped: readonly Skipped[]; readonly words: string }) {
  if (skipped.length === 0) return null;
  return (
    <details>
      <summary>
        {countText(skipped.length, "item")} {words}, and why
      </summary>
      <ul className="plan-skipped">
        {skipped.slice(0, MOST_LISTED).map(({ place, id, reason }) => (
          <li key={`${place}/${id}`}>
            <span className="mono">{id}</span> {reason}
          </li>
        ))}
        {skipped.length > MOST_LISTED ? <li>and {countText(skipped.length - MOST_LISTED, "other")}</li> : null}
      </ul>
    </details>
  );
}
