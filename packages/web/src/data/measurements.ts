import { currentDocument } from "@kinetocache/core";
import { useEffect, useRef } from "react";
import type { EngineEvent } from "../engine/protocol/event";
import { inForce } from "../engine/tradeOffs";
import type { ChosenSettings } from "./chosenSettings";
import { keepCosts } from "./costs";
import { engine, send } from "./engineStore";
import type { Notify } from "./notices";
import { readDisturbances } from "./server";
import type { Session } from "./session";
import { keepFormats, keepTrial, measuredForms, useTrial } from "./trials";

/** Keeps what the engine measures of the open composition, and tells it what was measured before. */
export function useMeasurements({ stored, known }: Session, { chosen, latest }: ChosenSettings, notify: Notify): void {
  const trials = useTrial("formatTrial");
  useEffect(() => {
    const { fraction } = inForce(chosen);
    const { depth } = currentDocument(stored.history);
    send({ kind: "storeAs", forms: measuredForms(trials, stored.id, { fraction, depth }) });
  }, [stored, chosen, trials]);

  const measuring = useRef(false);
  useEffect(() => {
    const keep = (event: EngineEvent): Promise<void> | undefined => {
      const { fraction, parallel } = inForce(latest.current);
      const open = known.current;
      switch (event.kind) {
        case "graphicsTrial":
          return keepTrial("graphicsTrial", open, { fraction, parallel, results: event.results });
        case "formatTrial":
          return keepFormats(open, { fraction, depth: currentDocument(open.history).depth }, event.results);
        case "parallelCurve":
          return keepTrial("parallelTrial", open, { points: event.points });
        case "costs":
          return keepCosts(event.record);
        default:
          return undefined;
      }
    };
    return engine.subscribe((event) => {
      keep(event)?.catch((error: unknown) => notify(`What was measured could not be stored: ${String(error)}`));
      if (event.kind !== "status" || event.status.measuringTake === measuring.current) return;
      measuring.current = event.status.measuringTake;
      // What was swapped before the take is not the take's; where it cannot be read, keepTake finds out too.
      if (measuring.current) void readDisturbances().catch(() => undefined);
    });
  }, [known, latest, notify]);
}
