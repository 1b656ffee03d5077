import { currentDocument, documentKey } from "@kinetocache/core";
import { useCallback, useEffect, useRef } from "react";
import type { MeasuredTake } from "../engine/protocol/event";
import type { ChosenSettings } from "./chosenSettings";
import type { StoredTake } from "./database";
import { readDocument } from "./documents";
import { engine, send } from "./engineStore";
import type { Notify } from "./notices";
import { afterTake, repetitionOf, type Repetition } from "./repetition";
import type { Session } from "./session";
import { keepTake } from "./takeKeeping";

/** Measures a take again, under its settings, several times. @throws Error when that cannot be */
export type RepeatTake = (take: StoredTake, times: number) => Promise<void>;

/** Keeps each take that was measured, and measures the next one where one is being repeated. */
export function useMeasuredTakes(
  { known, openDocument, choose }: Session,
  { latest, changeSettings }: ChosenSettings,
  notify: Notify,
): RepeatTake {
  const repeating = useRef<Repetition>(undefined);

  useEffect(() => {
    /** What was in force before it was repeated is in force again. */
    const end = () => {
      const run = repeating.current;
      repeating.current = undefined;
      if (!run) return;
      changeSettings(run.before.settings);
      void choose(run.before.layers);
    };
    const keep = async (take: MeasuredTake) => {
      const run = repeating.current;
      try {
        await keepTake(take, run?.of);
      } catch (error) {
        notify(`The take could not be stored: ${String(error)}`);
      }
      // Not stopped while it was being kept.
      if (!run || repeating.current !== run) return;
      const next = afterTake(run);
      if (!next) return end();
      repeating.current = next;
      send({ kind: "measureTake", emptied: next.emptied });
    };
    return engine.subscribe((event) => {
      if (event.kind === "take") void keep(event.take);
      if (event.kind !== "takeStopped") return;
      notify(
        event.changed
          ? "The take ended early: what it was of, or a setting, has changed. It is not kept."
          : "The take was stopped before its end and is not kept.",
      );
      end();
    });
  }, [notify, changeSettings, choose]);

  return useCallback(
    async (take, times) => {
      const stored = await readDocument(take.document.id);
      if (!stored) throw new Error(`${take.document.name} no longer exists.`);
      if (known.current.id !== stored.id) await openDocument(stored.id);
      if (documentKey(currentDocument(stored.history)) !== take.document.state)
        throw new Error(`${take.document.name} was edited since: undo to the state of the take first.`);
      const { solo, effectsOff } = known.current.layers;
      const run = repetitionOf(take, times, { settings: latest.current, layers: { solo, effectsOff } });
      changeSettings(take.settings);
      if (take.layers) await choose({ solo: take.layers.solo, effectsOff: take.layers.effectsOff });
      send({ kind: "range", range: take.range });
      repeating.current = run;
      send({ kind: "measureTake", emptied: run.emptied });
    },
    [known, latest, openDocument, changeSettings, choose],
  );
}
