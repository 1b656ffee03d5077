import type { FrameItem, Waste } from "@kinetocache/core";
import { dequal } from "dequal";
import { useSyncExternalStore } from "react";
import type { BrowserDiskState } from "../engine/browserDisk/browserDisk";
import { EngineClient } from "../engine/client";
import type { Command } from "../engine/protocol/command";
import type { CacheChange, EngineEvent, Explanation, Status, SuggestedBakes } from "../engine/protocol/event";
import type { LayerBars } from "../engine/layerBars";
import type { TimelineData } from "../engine/previewTimeline";
import type { Outlook } from "../engine/outlook";
import type { Savings } from "../engine/savings";

interface EngineState {
  /** Engines that ended before this one. */
  readonly engine: number;
  /** Why the one before ended. None is running when it ended too soon. */
  readonly ended: { readonly reason: string; readonly isRunning: boolean } | undefined;
  readonly status: Status | undefined;
  readonly timeline: TimelineData | undefined;
  readonly bars: LayerBars | undefined;
  readonly playhead: number;
  readonly cacheChange: CacheChange | undefined;
  readonly savings: Savings | undefined;
  readonly outlook: Outlook | undefined;
  readonly explanation: Explanation | undefined;
  readonly waste: readonly Waste[] | undefined;
  readonly suggestedBakes: SuggestedBakes | undefined;
  /** How often it was told, given up included. */
  readonly suggestions: number;
  /** The browser's own storage, once it was asked about. */
  readonly browserDisk: BrowserDiskState | undefined;
  readonly browserItems: readonly FrameItem[] | undefined;
}

/** What is as it was stays the same object, so that whoever follows only that part is left alone. */
function keepEqualParts(before: Status | undefined, now: Status): Status {
  if (!before) return now;
  const entries = Object.entries(now).map(([name, value]): [string, unknown] => {
    const old: unknown = before[name as keyof Status];
    return [name, dequal(old, value) ? old : value];
  });
  return Object.fromEntries(entries) as unknown as Status;
}

const NOTHING: EngineState = {
  engine: 0,
  ended: undefined,
  status: undefined,
  timeline: undefined,
  bars: undefined,
  playhead: 0,
  cacheChange: undefined,
  savings: undefined,
  outlook: undefined,
  explanation: undefined,
  waste: undefined,
  suggestedBakes: undefined,
  suggestions: 0,
  browserDisk: undefined,
  browserItems: undefined,
};

/** Holds the latest of what the engine says, so that a screen that opens later has it at once. */
class EngineStore {
  private state: EngineState = NOTHING;
  private readonly listeners = new Set<() => void>();

  constructor(readonly client: EngineClient) {
    client.subscribe((event) => this.take(event));
  }

  readonly subscribe = (listener: () => void): (() => void) => {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  };

  get current(): EngineState {
    return this.state;
  }

  /** Another engine; whoever told the one before something tells it again. */
  restart(): void {
    this.client.restart();
    this.change({ ...NOTHING, engine: this.state.engine + 1, ended: undefined });
  }

  forgetEnd(): void {
    this.change({ ...this.state, ended: undefined });
  }

  private change(state: EngineState): void {
    this.state = state;
    this.listeners.forEach((listener) => listener());
  }

  private take(event: EngineEvent): void {
    switch (event.kind) {
      case "ended": {
        const { reason, goesOn } = event;
        if (goesOn) this.restart();
        this.state = { ...this.state, ended: { reason, isRunning: goesOn } };
        break;
      }
      case "status":
        this.state = {
          ...this.state,
          status: keepEqualParts(this.state.status, event.status),
          playhead: event.status.playhead,
        };
        break;
      case "timeline":
        this.state = { ...this.state, timeline: event.data };
        break;
      case "bars":
        this.state = { ...this.state, bars: event.bars };
        break;
      case "playhead":
        this.state = { ...this.state, playhead: event.frame };
        break;
      case "cacheChange":
        this.state = { ...this.state, cacheChange: event.change };
        break;
      case "savings":
        this.state = { ...this.state, savings: event.savings };
        break;
      case "outlook":
        this.state = { ...this.state, outlook: event.outlook };
        break;
      case "waste":
        this.state = { ...this.state, waste: event.waste };
        break;
      case "suggestedBakes":
        this.state = { ...this.state, suggestedBakes: event.suggested, suggestions: this.state.suggestions + 1 };
        break;
      case "explanation":
        this.state = { ...this.state, explanation: event.explanation };
        break;
      case "browserDisk": {
        const { browserDisk, browserItems } = this.state;
        const same = dequal(browserDisk, event.state);
        this.state = {
          ...this.state,
          browserDisk: same ? browserDisk : event.state,
          browserItems: event.items ?? browserItems,
        };
        break;
      }
      default:
        return;
    }
    this.listeners.forEach((listener) => listener());
  }
}

const store = new EngineStore(
  new EngineClient(() => new Worker(new URL("../engine/engine.worker.ts", import.meta.url), { type: "module" })),
);

export const engine = store.client;

export function send(command: Command, transfer: Transferable[] = []): void {
  engine.send(command, transfer);
}

/** Settles when what was asked to suggest is told or given up, or the engine is another one. */
export function suggestionEnded(): Promise<void> {
  const { suggestions, engine: before } = store.current;
  return new Promise((resolve) => {
    const leave = store.subscribe(() => {
      const now = store.current;
      if (now.suggestions === suggestions && now.engine === before) return;
      leave();
      resolve();
    });
  });
}

/** The same at this moment, for what is done and not shown. */
export const presentEngine = (): EngineState => store.current;

export const restartEngine = () => store.restart();

export const forgetEnd = () => store.forgetEnd();

/**
 * A part of the engine's state; the component renders again only when that part changed. While playing, the
 * screen shares the processor with the render workers: what is followed is small, and so is who follows it.
 */
export function useEngine<T>(select: (state: EngineState) => T): T {
  return useSyncExternalStore(store.subscribe, () => select(store.current));
}
