import type { ContentKey } from "@kinetocache/core";
import { Failed, type FrameStorage, type Target } from "./frameStorage";
import type { Status } from "./protocol/event";
import { releasePixels } from "./pixels";

/** Where frames are moved from, and to. */
export interface Carriage {
  readonly from: { readonly storage: FrameStorage; readonly location: string };
  readonly to: { readonly storage: FrameStorage; readonly target: Target };
}

/**
 * Moves frames between the browser's own storage and a folder of the server, one by one: written there, read back
 * and checked there, and only then removed here. It can be stopped at any time and begun again.
 */
export class CarryRun {
  private done = 0;
  private damaged = 0;
  private isStopped = false;

  /** @param onMoved told of each frame when it can be read at its new place, before it goes from the old one */
  constructor(
    private readonly carriage: Carriage,
    private readonly keys: readonly ContentKey[],
    private readonly onMoved: (key: ContentKey) => void,
  ) {}

  get status(): Status["carrying"] {
    return { done: this.done, total: this.keys.length };
  }

  stop(): void {
    this.isStopped = true;
  }

  /** @returns what to say at the end @throws Failed when the new place takes no more; what was moved stays there */
  async run(): Promise<string> {
    for (const key of this.keys) {
      if (this.isStopped) break;
      await this.carry(key);
      this.done++;
    }
    const damaged = this.damaged > 0 ? `; ${this.damaged} were damaged and are rendered again` : "";
    const stopped = this.isStopped ? "; the move was stopped, and the rest is where it was" : "";
    return `${this.done - this.damaged} of ${this.keys.length} frames were moved${damaged}${stopped}.`;
  }

  private async carry(key: ContentKey): Promise<void> {
    const { from, to } = this.carriage;
    const fetched = await from.storage.fetch(key);
    if (!fetched.ok) {
      // Damaged, or gone meanwhile: there is nothing to move.
      if (fetched.failure.kind === "unreachable") throw new Failed(fetched.failure);
      this.damaged++;
      return;
    }
    const { owner, costMs, ...picture } = fetched.value;
    const stored = await to.storage.store({ key, owner, costMs, picture }, to.target);
    releasePixels(picture.pixels);
    if (!stored.ok) throw new Failed(stored.failure);
    const back = await to.storage.fetch(key);
    if (!back.ok) throw new Failed(back.failure);
    releasePixels(back.value.pixels);
    this.onMoved(key);
    const removed = await from.storage.remove(key, from.location);
    if (!removed.ok) throw new Failed(removed.failure);
  }
}
