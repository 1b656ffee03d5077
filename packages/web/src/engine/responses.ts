import type { ContentKey, Milliseconds } from "@kinetocache/core";

/** How fast the engine did what it was asked to; undefined before the first time. */
export interface ResponseTimes {
  /** From the user's last action to the moment at which no background work was under way any more. */
  readonly gaveWayMs?: Milliseconds;
  /** From the last seek to a frame that was held until it was on show. */
  readonly seekMs?: Milliseconds;
  /** From the last edit until the frame at the playhead was on show anew, and what rendering it took of that. */
  readonly edit?: { readonly ms: Milliseconds; readonly renderMs: Milliseconds };
}

/** The time of day to a fraction of a millisecond, the same in every worker. */
export function sharedNow(): Milliseconds {
  return performance.timeOrigin + performance.now();
}

/** Measures how fast background work gives way, and seeks are answered. */
export class Responses {
  private gaveWayMs: Milliseconds | undefined;
  private seekMs: Milliseconds | undefined;
  private action:
    | {
        readonly sentMs: Milliseconds;
        readonly jobs: Set<number>;
        /** When the last of those that are over ended. */
        endedMs: Milliseconds;
      }
    | undefined;
  private seekSentMs: Milliseconds | undefined;
  private lastEdit: ResponseTimes["edit"];
  /** An edit whose frame is not on show yet, with what was rendered since. */
  private edit: { readonly sinceMs: Milliseconds; readonly rendered: Map<ContentKey, Milliseconds> } | undefined;

  get times(): ResponseTimes {
    const { gaveWayMs, seekMs, lastEdit } = this;
    return {
      ...(gaveWayMs === undefined ? {} : { gaveWayMs }),
      ...(seekMs === undefined ? {} : { seekMs }),
      ...(lastEdit && { edit: lastEdit }),
    };
  }

  /** The user did something. @param jobs background work that was under way then */
  noteAction(sentMs: Milliseconds, jobs: readonly number[]): void {
    if (jobs.length > 0) this.action = { sentMs, jobs: new Set(jobs), endedMs: sentMs };
  }

  /** A job is over, whether done or given up. @param endedMs when, by `sharedNow`; it may be told of later */
  noteEnd(job: number, endedMs: Milliseconds = sharedNow()): void {
    const { action } = this;
    if (!action?.jobs.delete(job)) return;
    action.endedMs = Math.max(action.endedMs, endedMs);
    if (action.jobs.size > 0) return;
    this.gaveWayMs = action.endedMs - action.sentMs;
    this.action = undefined;
  }

  /** @param held whether the frame that was asked for is in memory */
  noteSeek(sentMs: Milliseconds, held: boolean): void {
    this.seekSentMs = held ? sentMs : undefined;
  }

  /** @param sinceMs when the user made the edit, by `sharedNow` */
  noteEdit(sinceMs: Milliseconds): void {
    this.edit = { sinceMs, rendered: new Map() };
  }

  noteRendered(key: ContentKey, ms: Milliseconds): void {
    this.edit?.rendered.set(key, ms);
  }

  /** @param keys of the pictures that came on show together */
  noteShown(keys: readonly ContentKey[]): void {
    const { edit } = this;
    if (edit) {
      const renderMs = Math.max(...keys.map((key) => edit.rendered.get(key) ?? 0));
      this.lastEdit = { ms: sharedNow() - edit.sinceMs, renderMs };
      this.edit = undefined;
    }
    if (this.seekSentMs === undefined) return;
    this.seekMs = sharedNow() - this.seekSentMs;
    this.seekSentMs = undefined;
  }
}
