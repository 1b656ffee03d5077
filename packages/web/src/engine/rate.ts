import type { Bytes, Milliseconds } from "@kinetocache/core";

const FADE = 0.9;

/** Bytes a second while at least one transfer was under way, over about the last ten such stretches. */
export class Rate {
  private bytes: Bytes = 0;
  private ms: Milliseconds = 0;
  private active = 0;
  private since: Milliseconds = 0;

  begin(nowMs: Milliseconds): void {
    if (this.active++ === 0) this.since = nowMs;
  }

  /** @param bytes what was transferred; 0 when the transfer failed */
  end(bytes: Bytes, nowMs: Milliseconds): void {
    this.bytes += bytes;
    this.ms += nowMs - this.since;
    this.since = nowMs;
    if (--this.active > 0) return;
    this.bytes *= FADE;
    this.ms *= FADE;
  }

  /** Undefined before the first transfer. */
  get perSecond(): number | undefined {
    return this.bytes > 0 ? (this.bytes * 1000) / this.ms : undefined;
  }
}
