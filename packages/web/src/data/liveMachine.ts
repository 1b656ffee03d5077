import type { LiveFigures } from "@kinetocache/core";
import { useSyncExternalStore } from "react";

interface Looked {
  readonly figures: LiveFigures | undefined;
  /** The server does not answer; the browser asks again by itself. */
  readonly lost: boolean;
}

const NOTHING: Looked = { figures: undefined, lost: false };
// By then a screen that opens follows by itself.
const AHEAD_MS = 5000;

/** The machine as it is, from the server every two seconds while someone follows it. */
class LiveMachine {
  private readonly listeners = new Set<() => void>();
  private events: EventSource | undefined;
  latest = NOTHING;

  readonly follow = (listener: () => void): (() => void) => {
    this.listeners.add(listener);
    this.events ??= this.open();
    return () => {
      this.listeners.delete(listener);
      if (this.listeners.size > 0) return;
      this.events?.close();
      this.events = undefined;
      this.latest = NOTHING;
    };
  };

  /** Looks for a screen that is about to open: the first figures take the server half a second. */
  lookAhead(): void {
    const leave = this.follow(() => undefined);
    setTimeout(leave, AHEAD_MS);
  }

  private open(): EventSource {
    const events = new EventSource("/api/machine/live");
    events.onmessage = ({ data }: MessageEvent<string>) =>
      this.set({ figures: JSON.parse(data) as LiveFigures, lost: false });
    events.onerror = () => this.set({ ...this.latest, lost: true });
    return events;
  }

  private set(looked: Looked): void {
    this.latest = looked;
    this.listeners.forEach((listener) => listener());
  }
}

export const liveMachine = new LiveMachine();

export function useLiveMachine(): Looked {
  return useSyncExternalStore(liveMachine.follow, () => liveMachine.latest);
}
