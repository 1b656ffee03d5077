import { bytesText } from "../../parts/format";
import type { DriveParts } from "./ledgerView";
import "./DriveBars.css";

/** Per drive: other files, live cache, stale with and without an owner, holding, free, and the cap. */
export function DriveBars({ drives }: { readonly drives: readonly DriveParts[] }) {
  return (
    <div className="sheet drive-bars">
      {drives.map((drive) => (
        <section aria-label={`Drive ${drive.name}`} key={drive.mount}>
          <h2 title={drive.mount}>
            {drive.name}{" "}
            <small>
              {bytesText(drive.totalBytes)}
              {drive.capBytes === undefined ? "" : `, cap ${bytesText(drive.capBytes)}`}
            </small>
          </h2>
          <Bar drive={drive} />
        </section>
      ))}
    </div>
  );
}

function Bar({ drive }: { readonly drive: DriveParts }) {
  const parts = [
    { name: "Other files", bytes: drive.otherBytes, className: "part-other" },
    { name: "Live cache", bytes: drive.liveBytes, className: "part-live" },
    { name: "Stale", bytes: drive.staleBytes, className: "part-stale" },
    { name: "No owner", bytes: drive.unownedBytes, className: "part-unowned" },
    { name: "Holding", bytes: drive.holdingBytes, className: "part-holding" },
    { name: "Reserved", bytes: drive.reservedBytes, className: "part-reserved" },
    { name: "Free", bytes: drive.freeBytes, className: "part-room" },
  ];
  return (
    <>
      <div className="drive-bar" aria-hidden="true">
        {parts.map(({ name, bytes, className }) =>
          bytes > 0 ? (
            <span
              key={name}
              className={className}
              title={`${name} ${bytesText(bytes)}`}
              style={{ flexGrow: bytes / drive.totalBytes }}
            />
          ) : null,
        )}
      </div>
      <ul className="drive-legend">
        {parts.map(({ name, bytes, className }) =>
          bytes > 0 || name === "Stale" ? (
            <li key={name}>
              <span className={`swatch ${className}`} /> {name} <span className="mono">{bytesText(bytes)}</span>
            </li>
          ) : null,
        )}
      </ul>
    </>
  );
}
