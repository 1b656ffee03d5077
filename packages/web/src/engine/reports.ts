import type { FrameNumber } from "@kinetocache/core";
import type { LayerBars } from "./layerBars";
import type { EngineEvent, Status } from "./protocol/event";
import type { TimelineData } from "./previewTimeline";

// The screen shares the processor with the render workers. While they are at work it is told less often, or
// drawing it would take a good part of what they need.
const STATUS_MS = 100;
const STATUS_BUSY_MS = 250;
const PLAYHEAD_PLAYING_MS = 80;

interface Source {
  /** Undefined before a composition is open. */
  readonly status: () => Status | undefined;
  readonly timeline: () => TimelineData | undefined;
  readonly bars: () => LayerBars | undefined;
  readonly isBusy: () => boolean;
}

/** Tells the screens what is true, no more often than they can use. */
export class Reports {
  private timer: ReturnType<typeof setTimeout> | undefined;
  private toldPlayheadMs = -Infinity;
  private owesBars = false;

  constructor(
    private readonly emit: (event: EngineEvent) => void,
    private readonly source: Source,
  ) {}

  playhead(frame: FrameNumber, isPlaying: boolean): void {
    const now = performance.now();
    if (isPlaying && now - this.toldPlayheadMs < PLAYHEAD_PLAYING_MS) return;
    this.toldPlayheadMs = now;
    this.emit({ kind: "playhead", frame });
  }

  /** What layers cost in time, as far as it is known; later where it cannot be told now. */
  bars(): void {
    const bars = this.source.bars();
    this.owesBars = bars === undefined;
    if (bars) this.emit({ kind: "bars", bars });
  }

  /** Something may have changed: a status follows, and more of them while work is under way. */
  schedule(): void {
    this.timer ??= setTimeout(() => this.now(), this.source.isBusy() ? STATUS_BUSY_MS : STATUS_MS);
  }

  /** What stands is told with what has just happened, so that the screens never show one without the other. */
  now(): void {
    clearTimeout(this.timer);
    this.timer = undefined;
    const status = this.source.status();
    if (!status) return;
    const data = this.source.timeline();
    if (data) this.emit({ kind: "timeline", data });
    if (data || this.owesBars) this.bars();
    this.emit({ kind: "status", status });
    if (this.source.isBusy()) this.schedule();
  }
}
