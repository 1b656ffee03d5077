import { troublesOf, type Hardware, type LiveFigures } from "@kinetocache/core";
import { TriangleAlert } from "lucide-react";
import { bytesText, percentText } from "../../parts/format";

const missing = <span className="why">not available here</span>;

/** What the machine is doing, and what of it slows playback down. */
export function Conditions({ figures }: { readonly figures: LiveFigures }) {
  const { swapRate, swapUsedBytes, temperatureCelsius, clockShare, onBattery } = figures.conditions;
  const troubles = troublesOf(figures);
  return (
    <section className="sheet" aria-label="Heat, power and swapping">
      <h2>Heat, power and swapping</h2>
      {troubles.length > 0 ? (
        <ul className="troubles">
          {troubles.map((trouble) => (
            <li key={trouble}>
              <TriangleAlert size="0.875rem" aria-hidden="true" /> {trouble}
            </li>
          ))}
        </ul>
      ) : (
        <p className="empty">Nothing known is slowing playback down.</p>
      )}
      <dl className="figures">
        <dt>Swapping</dt>
        <dd>{swapRate === undefined ? missing : swapRate > 0 ? `${bytesText(swapRate)}/s` : "none"}</dd>
        <dt>Swapped out</dt>
        <dd>{swapUsedBytes === undefined ? missing : bytesText(swapUsedBytes)}</dd>
        <dt>Processor temperature</dt>
        <dd>{temperatureCelsius === undefined ? missing : `${temperatureCelsius.toFixed(0)} °C`}</dd>
        <dt>Processor clock</dt>
        <dd>{clockShare === undefined ? missing : `${percentText(clockShare)} of its maximum`}</dd>
        <dt>Power</dt>
        <dd>{onBattery === undefined ? missing : onBattery ? "battery" : "mains"}</dd>
      </dl>
    </section>
  );
}

/** What the machine is made of. */
export function HardwareList({ hardware }: { readonly hardware: Hardware | undefined }) {
  return (
    <section className="sheet" aria-label="Processor and graphics">
      <h2>Processor and graphics</h2>
      {hardware ? (
        <dl className="figures hardware">
          <dt>Processor</dt>
          <dd>{hardware.processor}</dd>
          <dt>Cores</dt>
          <dd>{hardware.cores}</dd>
          <dt>System</dt>
          <dd>{hardware.system}</dd>
          {hardware.graphics.length === 0 ? (
            <>
              <dt>Graphics</dt>
              <dd>no device found</dd>
            </>
          ) : (
            hardware.graphics.map(({ name, memoryBytes, driver }) => (
              <div key={name} className="figure-row">
                <dt>Graphics</dt>
                <dd>
                  {name}
                  {memoryBytes ? `, ${bytesText(memoryBytes)}` : ""}
                  {driver ? `, driver ${driver}` : ""}
                </dd>
              </div>
            ))
          )}
        </dl>
      ) : (
        <p className="empty">Being looked up…</p>
      )}
    </section>
  );
}
