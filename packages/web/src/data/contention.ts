import { useEffect } from "react";
import useSWR from "swr";
import { send, useEngine } from "./engineStore";
import { read } from "./server";

// A measurement is weighed by what was told last.
const EVERY_SECOND = { refreshInterval: 1000, shouldRetryOnError: false, dedupingInterval: 500 };

/** Tells the engine how much of the processor others leave to it, while it renders. */
export function useContention(): void {
  const isRendering = useEngine(
    ({ status }) =>
      status !== undefined && (status.mode === "playing" || status.mode === "filling" || status.orders.length > 0),
  );
  const { data } = useSWR<{ readonly share: number | null; readonly atMs: number }>(
    isRendering ? "/api/machine/contention" : null,
    async (path: string) => ({ ...(await read<{ share: number | null }>(path)), atMs: performance.now() }),
    EVERY_SECOND,
  );
  useEffect(() => {
    if (data && data.share !== null) send({ kind: "contention", share: data.share });
  }, [data]);
}
