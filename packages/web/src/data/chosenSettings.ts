import { useCallback, useRef, useState, type RefObject } from "react";
import type { PreviewSettings } from "../engine/protocol/command";
import { send } from "./engineStore";
import type { Notify } from "./notices";
import { saveSettings } from "./settings";

/** The settings of the preview, as they were chosen. */
export interface ChosenSettings {
  readonly chosen: PreviewSettings;
  /** As the engine was last told. */
  readonly latest: RefObject<PreviewSettings>;
  readonly changeSettings: (change: Partial<PreviewSettings>) => void;
}

/** @param start what the engine has been told already */
export function useChosenSettings(start: PreviewSettings, notify: Notify): ChosenSettings {
  const [chosen, setChosen] = useState(start);
  const latest = useRef(start);
  const changeSettings = useCallback(
    (change: Partial<PreviewSettings>) => {
      const next = { ...latest.current, ...change };
      latest.current = next;
      send({ kind: "configure", settings: next });
      saveSettings(next).catch((error: unknown) => notify(`The settings could not be stored: ${String(error)}`));
      setChosen(next);
    },
    [notify],
  );
  return { chosen, latest, changeSettings };
}
