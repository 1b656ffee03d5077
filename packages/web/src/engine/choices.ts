import type { RenderSettings } from "@kinetocache/core";
import type { Devices } from "./devices";
import type { FillOrders } from "./fillOrders";
import type { BarsWish } from "./layerBars";
import { NO_LAYER_CHOICES, type LayerChoices, type PreviewSettings } from "./protocol/command";
import { inForce, previewQuality } from "./tradeOffs";

/** What the user chose for the preview. */
export class Choices {
  /** Undefined before the screens have told. */
  chosen: PreviewSettings | undefined;
  layers: LayerChoices = NO_LAYER_CHOICES;
  /** The layer whose own pixels the lanes show. */
  followed: string | undefined;
  /** What the rows of layers in time show. */
  bars: BarsWish = { layers: [], range: { in: 0, out: 0 }, columns: 1 };
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

  /** Layers of which is told what is kept: those, and the one that is selected. */
  keptLayers(orders: FillOrders): ReadonlySet<string> {
    const wanted = this.wantedLayers(orders);
    return this.followed === undefined ? wanted : new Set([...wanted, this.followed]);
  }

  /** Layers whose finished pixels are kept, whatever they cost. */
  wantedLayers(orders: FillOrders): ReadonlySet<string> {
    const { marked, pinned } = this.layers;
    return new Set([...marked, ...pinned, ...orders.layers]);
  }
}
