import type { RenderDevice, RendererClass } from "@kinetocache/core";
import type { PreviewSettings } from "./protocol/command";
import type { RenderOutcome } from "./protocol/rendering";
import type { Rendered, RenderPool } from "./renderPool";

/** Why a graphics device does not render; `lost` when it is gone altogether. */
export type GraphicsFault = Pick<Extract<RenderOutcome, { kind: "noGraphics" }>, "reason" | "lost">;

/** What renders and what decodes: what the user chose, unless it failed, of which is told once. */
export class Devices {
  private chosen: Pick<PreviewSettings, "effectsOn" | "decodingOn"> = {
    effectsOn: "processor",
    decodingOn: "processor",
  };
  private fault: GraphicsFault | undefined;
  private decodeFault: string | undefined;

  constructor(
    private readonly pool: Pick<RenderPool, "setGraphics" | "setDecoding">,
    private readonly notice: (text: string) => void,
  ) {}

  /** What renders. */
  get device(): RenderDevice {
    return this.fault ? "processor" : this.chosen.effectsOn;
  }

  /** Why the processor renders although a graphics device was chosen. */
  get faultReason(): string | undefined {
    return this.fault?.reason;
  }

  choose({ effectsOn, decodingOn }: PreviewSettings): void {
    if (effectsOn !== this.chosen.effectsOn) this.fault = undefined;
    if (decodingOn !== this.chosen.decodingOn) this.decodeFault = undefined;
    this.chosen = { effectsOn, decodingOn };
    this.pool.setDecoding(decodingOn);
  }

  /** What a device could not do at another size it may do at this one; a device that is lost stays lost. */
  sizeChanged(): void {
    if (!this.fault?.lost) this.fault = undefined;
  }

  retry(): void {
    this.fault = undefined;
  }

  /** Readies the workers for a device. @returns the class of renderer that it stands for */
  use(device: RenderDevice): RendererClass {
    if (device === "processor") return "cpu-1";
    this.pool.setGraphics(device);
    return "gpu-1";
  }

  /** The processor takes over, and it is said why. @returns whether that is new */
  fail(fault: GraphicsFault): boolean {
    if (this.fault) return false;
    this.fault = fault;
    this.notice(`${fault.reason}. The processor renders instead.`);
    return true;
  }

  noteDecoding({ decodeFault }: Rendered): void {
    if (decodeFault === undefined || this.decodeFault !== undefined) return;
    this.decodeFault = decodeFault;
    this.notice(`${decodeFault}. The processor decodes clips instead.`);
  }
}
