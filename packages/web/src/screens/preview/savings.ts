import { useEffect } from "react";
import { send, useEngine } from "../../data/engineStore";
import { useWorkspace } from "../../data/workspace";
import type { Savings } from "../../engine/savings";

/** What trade-offs would save on the open variant; undefined until it was worked out. */
export function useSavings(): Savings | undefined {
  const { composition } = useWorkspace();
  const latest = useEngine((state) => state.savings);
  useEffect(() => {
    send({ kind: "savings", wanted: true });
    return () => send({ kind: "savings", wanted: false });
  }, []);
  return latest?.composition === composition.id ? latest : undefined;
}
