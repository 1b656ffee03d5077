import type { ContentKey, FrameItem, LocationSettings } from "@kinetocache/core";
import type { BrowserDiskState } from "./browserDisk/browserDisk";
import type { Answer, FrameStorage } from "./frameStorage";
import type { EngineEvent } from "./protocol/event";

/** The browser's own storage as the engine needs it. */
export interface BrowserPort extends FrameStorage {
  state(): Promise<BrowserDiskState>;
  items(): Promise<Answer<readonly FrameItem[]>>;
  change(settings: Partial<LocationSettings>): Promise<Answer<void>>;
  /** @param keys undefined for all */
  clear(keys?: readonly ContentKey[]): Promise<Answer<void>>;
}

/** Answers what the screens ask and wish of the browser's own storage. */
export class BrowserDesk {
  constructor(
    private readonly port: BrowserPort,
    private readonly emit: (event: EngineEvent) => void,
    private readonly onChange: () => Promise<void>,
  ) {}

  /** Tells its state. */
  async tell(withItems: boolean): Promise<void> {
    try {
      const [state, items] = await Promise.all([this.port.state(), withItems ? this.port.items() : undefined]);
      this.emit({ kind: "browserDisk", state, items: items?.ok ? items.value : undefined });
    } catch (error) {
      this.emit({ kind: "notice", text: error instanceof Error ? error.message : String(error) });
    }
  }

  async change(settings: Partial<LocationSettings>): Promise<void> {
    await this.after(this.port.change(settings));
  }

  async clear(keys?: readonly ContentKey[]): Promise<void> {
    await this.after(this.port.clear(keys));
  }

  private async after(done: Promise<Answer<void>>): Promise<void> {
    const answer = await done;
    if (!answer.ok) this.emit({ kind: "notice", text: answer.failure.detail });
    await this.onChange();
    await this.tell(true);
  }
}
