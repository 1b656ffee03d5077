import { bestStated, statedDevices, type MachineSheet } from "@kinetocache/core";
import Table from "react-bootstrap/Table";
import { useWorkspace } from "../../data/workspace";
import { bytesText, rateText } from "../../parts/format";
import { useStanding } from "../../parts/standing";

interface StatedGraphicsProps {
  readonly sheet: MachineSheet;
  readonly parallel: number;
  readonly oneBytes: number;
}

/** An estimate claims no more digits than it has. */
function aboutText(rate: number): string {
  return rateText(rate < 10 ? rate : Math.round(rate));
}

/** What the devices of a simulated machine would be worth: costs of this machine, scaled by their stated speeds. */
export function StatedGraphics({ sheet, parallel, oneBytes }: StatedGraphicsProps) {
  const { composition } = useWorkspace();
  const standing = useStanding();
  if (!standing || standing.meanMs === 0) return null;
  const devices = statedDevices(sheet, { meanMs: standing.meanMs, parallel, oneBytes });
  const { effects, decoding } = bestStated(devices);
  const [processor] = devices;
  const against = effects.isProcessor ? "" : `, against ${aboutText(processor!.rate!)} on the processor`;
  const memoryOf = (name: string) => sheet.hardware.graphics.find((device) => device.name === name)?.memoryBytes;
  return (
    <section className="sheet" aria-label="Graphics devices">
      <h2>
        Graphics <small>estimates: costs measured here, scaled by what the sheet states</small>
      </h2>
      <p>
        <strong>
          Effects on {effects.isProcessor ? "the processor" : effects.name}: about {aboutText(effects.rate!)} frames a
          second of {composition.name}
          {against}. Clips decode best on {decoding.isProcessor ? "the processor" : decoding.name}.
        </strong>
      </p>
      <Table size="sm">
        <thead>
          <tr>
            <th scope="col">Device</th>
            <th scope="col" className="number">
              Memory
            </th>
            <th scope="col" className="number">
              Renders <small>est.</small>
            </th>
            <th scope="col" className="number">
              Decodes
            </th>
          </tr>
        </thead>
        <tbody>
          {devices.map(({ name, isProcessor, rate, decodeSpeed, isSoftware, isLargeEnough }) => {
            const memory = memoryOf(name);
            return (
              <tr key={name}>
                <td>
                  {name}{" "}
                  <small>
                    {isSoftware
                      ? "a software stand-in"
                      : isLargeEnough
                        ? ""
                        : `too small for ${bytesText(oneBytes)} a frame`}
                  </small>
                </td>
                <td className="number">{isProcessor ? "–" : memory === undefined ? "shared" : bytesText(memory)}</td>
                <td className="number is-estimate">{rate === undefined ? "–" : `${aboutText(rate)} fps`}</td>
                <td className="number">{decodeSpeed === undefined ? "–" : `${decodeSpeed} × this`}</td>
              </tr>
            );
          })}
        </tbody>
      </Table>
    </section>
  );
}
