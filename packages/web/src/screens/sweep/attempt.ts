import { useState } from "react";
import { send } from "../../data/engineStore";
import { useWorkspace } from "../../data/workspace";

/** Runs work that moves files: one at a time, and what goes wrong is said. */
export function useAttempt(): {
  readonly busy: boolean;
  readonly run: (work: () => Promise<unknown>) => Promise<void>;
} {
  const { notify } = useWorkspace();
  const [busy, setBusy] = useState(false);
  const run = async (work: () => Promise<unknown>) => {
    setBusy(true);
    try {
      await work();
      send({ kind: "diskChanged" });
    } catch (error) {
      notify((error as Error).message);
    }
    setBusy(false);
  };
  return { busy, run };
}
