import { useLayoutEffect } from "react";
import { mutate } from "swr";

export const SWEEP = "/api/sweep";

const isOf = (path: string) => (key: unknown) => typeof key === "string" && key.startsWith(path);

let isFollowed = false;
// While changes are told, asking is for what nobody told.
const SELDOM_MS = 600_000;

/** How often something is asked for whose changes the server tells while Sweep is open. */
export const untilFollowed = (everyMs: number) => (): number => (isFollowed ? SELDOM_MS : everyMs);

/** Asks for what Sweep shows when the server says that it has changed, while a component uses it. */
export function useSweepChanges(): void {
  // Before another screen says how often it asks.
  useLayoutEffect(() => {
    const events = new EventSource(`${SWEEP}/changes`);
    const follow = (follows: boolean) => {
      isFollowed = follows;
      // What changed before, or that nobody answers; from here on it is asked for as often as that says.
      void mutate(isOf(`${SWEEP}/`));
    };
    events.onopen = () => follow(true);
    events.onmessage = ({ data }: MessageEvent<string>) => void mutate(isOf(`${SWEEP}/${data}`));
    events.onerror = () => {
      if (isFollowed) follow(false);
    };
    return () => {
      events.close();
      isFollowed = false;
    };
  }, []);
}
