import {
  frameItems,
  planSweep,
  sequenceItems,
  type HeldReport,
  type PlacedBatch,
  type RebuildPace,
  type Skipped,
  type SweepItem,
  type SweepPlan,
} from "@kinetocache/core";
import type { Locations, OpenLocation } from "../volumes/locations";
import type { Clients } from "./clients";
import { heldItem } from "./desk";
import { LOWER_CAP } from "./holding";

const EVERYTHING = { has: () => true, get: () => undefined };

/** The product's own locations, as far as sweeping goes. */
export class OwnCaches {
  constructor(
    private readonly locations: Locations,
    private readonly clients: Clients,
  ) {}

  /**
   * Frames and baked sequences of all locations. What was brought in is source media, and no item.
   * @param closed id of a composition that was closed just now: what it used until then is not in use any more
   */
  items(closed?: string): SweepItem[] {
    return this.locations.open().flatMap((location) => this.itemsOf(location, closed));
  }

  /**
   * What was generated for a composition; only while it is open are its frames in use.
   * @param bakes ids of its baked sequences
   */
  generatedFor(composition: string, bakes: ReadonlySet<string>): SweepItem[] {
    const closed = this.clients.openNow.has(composition) ? undefined : composition;
    return this.items(closed).filter(({ owner, id }) => owner === composition || bakes.has(id));
  }

  private itemsOf({ id, volume, sequences }: OpenLocation, closed?: string): SweepItem[] {
    const { compositions, openNow: open, sequences: played } = this.clients;
    const frames = volume.frames.items().map((frame) => ({ ...frame, location: id }));
    // Before a page told of any, nothing is known of whose they are.
    const isTold = compositions.length > 0;
    const known = isTold
      ? compositions
      : [...new Set(frames.map(({ owner }) => owner))].map((name) => ({ id: name, name }));
    const owners = {
      names: new Map(known.map((one) => [one.id, one.name])),
      // Which frames a composition can still show only its page knows.
      reachable: () => EVERYTHING,
      marks: new Map(compositions.flatMap((one) => (one.mark ? [[one.id, one.mark] as const] : []))),
      open,
    };
    const baked = sequences.all().flatMap((sequence) => {
      const state = sequence.state(id);
      return state.kind === "bake" ? [state] : [];
    });
    return [
      ...frameItems(frames, owners, Date.now()).map((item) =>
        item.owner === closed && item.state === "in use"
          ? { ...item, state: "idle" as const, reason: "its composition was closed" }
          : item,
      ),
      ...sequenceItems(baked, isTold ? played : undefined),
    ];
  }

  /** What of a location would go: what the page chose, but for what is kept. */
  plan(location: OpenLocation, ids: readonly string[]): SweepPlan {
    const listed = new Map(
      this.itemsOf(location).map((item) => [
        item.id,
        item.state === "kept" ? item : { ...item, state: "idle" as const },
      ]),
    );
    const gone: Skipped[] = [];
    const chosen = ids.flatMap((id) => {
      const item = listed.get(id);
      if (!item) gone.push({ place: location.id, id, reason: "it is gone" });
      return item ? [{ item }] : [];
    });
    return planSweep(chosen, gone);
  }

  /** Moves what is chosen in a location to its holding. @throws Error as `Holding.hold` */
  async hold(location: OpenLocation, ids: readonly string[], by: string): Promise<HeldReport> {
    const { items, skipped } = this.plan(location, ids);
    const report = await this.move(location, items, by);
    return { ...report, skipped: [...skipped, ...report.skipped] };
  }

  /** As `hold`, for frames that a lower cap has no room for, whatever they are. */
  giveUp(location: OpenLocation, keys: readonly string[]): Promise<HeldReport> {
    const gone = new Set(keys);
    const items = this.itemsOf(location).filter(({ id }) => gone.has(id));
    return this.move(location, items, LOWER_CAP);
  }

  private async move(location: OpenLocation, items: readonly SweepItem[], by: string): Promise<HeldReport> {
    const { volume, holding, id } = location;
    const frames = new Map(volume.frames.filesOf(items.map((item) => item.id)).map((frame) => [frame.key, frame.path]));
    const held = items.map((item) => {
      const file = frames.get(item.id);
      return file === undefined
        ? heldItem(item, true, `sequences/${item.id}`)
        : heldItem(item, false, `frames/${file}`);
    });
    if (held.length === 0) return { batches: [], skipped: [] };
    const { batch, stayed } = await holding.hold(held, by);
    const left = stayed.map(({ path, reason }) => ({ place: id, id: path, reason }));
    return { batches: batch ? [{ ...batch, place: id }] : [], skipped: left };
  }

  holds(): PlacedBatch[] {
    return this.locations.open().flatMap(({ id, holding }) => holding.list().map((batch) => ({ ...batch, place: id })));
  }

  /** The location in whose holding a batch waits. */
  holderOf(batch: string): OpenLocation | undefined {
    return this.locations.open().find(({ holding }) => holding.has(batch));
  }

  /** What rendering frames took that are cached: by bytes, and by frames; undefined while none are. */
  get renderPace(): RebuildPace | undefined {
    let [bytes, costMs, frames] = [0, 0, 0];
    for (const { volume } of this.locations.open())
      for (const item of volume.frames.items()) {
        bytes += item.bytes;
        costMs += item.costMs;
        frames++;
      }
    return bytes === 0 || costMs === 0 ? undefined : { rate: (bytes * 1000) / costMs, frameMs: costMs / frames };
  }
}
