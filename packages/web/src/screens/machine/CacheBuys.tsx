import { DEPTHS, FRACTIONS, scaledSize, secondsHeld, type Bytes } from "@kinetocache/core";
import Table from "react-bootstrap/Table";
import { useWorkspace } from "../../data/workspace";
import { bytesText, fractionText, secondsText } from "../../parts/format";
import { preview } from "./memoryPlan";

interface CacheBuysProps {
  readonly cacheBytes: Bytes;
  /** Frames of the in–out range. */
  readonly rangeFrames: number;
}

/** Seconds of preview that the cache holds at each size and depth. */
export function CacheBuys({ cacheBytes, rangeFrames }: CacheBuysProps) {
  const { composition } = useWorkspace();
  return (
    <section className="sheet" aria-label="What fits in the memory cache">
      <h2>What fits in {bytesText(cacheBytes)}</h2>
      <Table size="sm" className="buys">
        <thead>
          <tr>
            <th scope="col">Size</th>
            <th scope="col">Pixels</th>
            {DEPTHS.map((name) => (
              <th key={name} scope="col" className="number">
                {name}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {FRACTIONS.map((fraction) => (
            <tr key={fraction}>
              <th scope="row">{fractionText(fraction)}</th>
              <td className="mono">
                {scaledSize(composition.width, fraction)}×{scaledSize(composition.height, fraction)}
              </td>
              {DEPTHS.map((name) => {
                const { seconds, holdsRange } = preview(
                  cacheBytes,
                  composition,
                  { fraction, depth: name },
                  rangeFrames,
                );
                return (
                  <td key={name} className={`number ${holdsRange ? "" : "is-short"}`}>
                    {secondsText(seconds)}
                  </td>
                );
              })}
            </tr>
          ))}
        </tbody>
      </Table>
      <p className="control-note">
        The in–out range is {secondsHeld(rangeFrames, composition.rate).toFixed(1)} s. Figures in red do not hold all of
        it.
      </p>
    </section>
  );
}
