import { CarryRun } from "./carryRun";
import type { BrowserDesk } from "./browserDesk";
import { storageAt, type DiskPorts, type DiskTier } from "./diskTier";
import { FormatRun, sampleOf } from "./formatRun";
import type { HeldPicture } from "./frameStorage";
import { copyPixels, releasePixels } from "./pixels";
import type { Command } from "./protocol/command";
import type { EngineEvent, Status } from "./protocol/event";

/** What the screens wish of the disk beside playback. */
export type DiskCommand = Extract<
  Command,
  { readonly kind: "carry" | "stopCarrying" | "browserDisk" | "changeBrowserDisk" | "clearBrowserDisk" }
>;

/** What it needs of the engine. */
interface DiskWorkPorts {
  readonly tier: DiskTier;
  readonly disks: DiskPorts;
  readonly desk: BrowserDesk;
  readonly emit: (event: EngineEvent) => void;
  /** Called when work begins or ends. */
  readonly onChange: () => void;
}

/** Work on the disk that is not playback: measuring formats, and moving frames to and from the browser's storage. */
export class DiskWork {
  private measuring: FormatRun | undefined;
  private moving: CarryRun | undefined;

  constructor(private readonly ports: DiskWorkPorts) {}

  get trial(): Status["trial"] {
    return this.measuring?.status;
  }

  get carrying(): Status["carrying"] {
    return this.moving?.status;
  }

  async handle(command: DiskCommand): Promise<void> {
    const { desk } = this.ports;
    switch (command.kind) {
      case "carry":
        return this.carry(command.from, command.to);
      case "stopCarrying":
        this.moving?.stop();
        return;
      case "browserDisk":
        return desk.tell(command.withItems);
      case "changeBrowserDisk":
        return desk.change(command.settings);
      case "clearBrowserDisk":
        return desk.clear(command.keys);
    }
  }

  /** @param pictures frames of the open composition that are held: rendering others would be measured along */
  async measureFormats(location: string, pictures: readonly HeldPicture[]): Promise<void> {
    const { tier, disks, emit, onChange } = this.ports;
    const target = tier.targetOf(location);
    if (!target || !tier.accepts(location)) return this.notice("This place cannot be used now; nothing was measured.");
    if (pictures.length === 0)
      return this.notice("No frame of this composition is held yet; play it once, then measure again.");
    // Copies: memory may let go of its own meanwhile.
    const copies = sampleOf(pictures).map((picture) => ({ ...picture, pixels: copyPixels(picture.pixels) }));
    const run = new FormatRun(storageAt(disks, location), copies, target);
    this.measuring = run;
    try {
      const results = await run.run();
      if (results) emit({ kind: "formatTrial", results });
    } catch (error) {
      this.notice(`The formats could not be measured: ${(error as Error).message}`);
    }
    copies.forEach(({ pixels }) => releasePixels(pixels));
    if (this.measuring === run) this.measuring = undefined;
    onChange();
  }

  /** Ends measuring at once; what was stored for it is removed while other things go on. */
  stopMeasuring(): void {
    if (!this.measuring) return;
    this.measuring.stop();
    this.measuring = undefined;
    this.notice("The measurement of formats was stopped before its end.");
  }

  private async carry(from: string, to: string): Promise<void> {
    const { tier, disks, desk, onChange } = this.ports;
    if (this.moving) return this.notice("Frames are being moved already; wait for that to end.");
    await tier.refresh();
    const target = tier.targetOf(to);
    if (!target || !tier.accepts(to)) return this.notice("The new place cannot be used now; nothing was moved.");
    const carriage = {
      from: { storage: storageAt(disks, from), location: from },
      to: { storage: storageAt(disks, to), target },
    };
    this.moving = new CarryRun(carriage, tier.keysAt(from), (key) => tier.noteMoved(key, from, to));
    onChange();
    try {
      this.notice(await this.moving.run());
    } catch (error) {
      this.notice(`The move ended early: ${(error as Error).message}`);
    }
    this.moving = undefined;
    await tier.refresh();
    await desk.tell(true);
  }

  private notice(text: string): void {
    this.ports.emit({ kind: "notice", text });
  }
}
