import type { RenderSettings } from "@kinetocache/core";
import type { Devices } from "./devices";
import type { FillOrders } from "./fillOrders";
import { NO_LAYER_CHOICES, type LayerChoices, type PreviewSettings } from "./protocol/command";
import { inForce, previewQuality } from "./tradeOffs";

/** What the user chose for the preview. */
export class Choices {
  /** Undefined before the screens have told. */
  chosen: PreviewSettings | undefined;
  layers: LayerChoices = NO_LAYER_CHOICES;
  /** The layer whose own pixels the lanes show. */
  followed: string | undefined;
  fillingPaused = false;
  /** Files of the open composition that cannot be read. */
  missing: readonly string[] = [];

  /** Only asked for once a composition is open, and that is not before they are told. */
  get settings(): PreviewSettings {
    return this.chosen!;
  }

  /** Without what gives up quality while that is switched off. */
  get inForce(): PreviewSettings {
    return inForce(this.settings);
  }

  /** Size for scrubbing. */
  get scrubFraction(): number {
    return this.inForce.scrubFraction;
  }

  /** What decides the pixels of the preview. */
  quality(devices: Devices, settings = this.settings): RenderSettings {
    return { ...previewQuality(settings, this.layers, devices.use(devices.device)), missing: this.missing };
  }

  /** Layers whose finished pixels are kept, whatever they cost. */
  wantedLayers(orders: FillOrders): ReadonlySet<string> {
    const { marked, pinned } = this.layers;
    return new Set([...marked, ...pinned, ...orders.layers]);
  }
}
