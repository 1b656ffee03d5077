import { mediaFilesOf, workingBuffers, type Bake, type Milliseconds } from "@kinetocache/core";
import { dequal } from "dequal";
import type { GraphicsFault } from "./devices";
import { evictionContext } from "./evictionContext";
import { isOfFrame } from "./jobTable";
import { barLayers } from "./layerBars";
import type { MediaPlaces } from "./media/mediaBytes";
import type { Parts } from "./parts";
import type { PreviewTimeline } from "./previewTimeline";
import type { Command, Comparison, LayerChoices, PreviewSettings } from "./protocol/command";
import type { CacheChange } from "./protocol/event";
import type { LostMedia } from "./protocol/rendering";
import { takeTerms } from "./tradeOffs";
import { courseOf } from "./trial";

// Keys and estimates are worked out in slices of this length.
export const SLICE_MS: Milliseconds = 6;
// Less than this is not worth another worker; and what one may have beside what its buffers are expected to take.
const WORTH_FITTING = 128 * 2 ** 20;
const ROOM_TO_WORK = 1.25;

/** Puts another state, or another way to preview it, on the stage, and what was under way for the last one off it. */
export class Staging {
  /** An edit, and the timeline before it, of which it has not been said what it did to the cache. */
  private untold: { readonly before: PreviewTimeline; readonly cause: CacheChange["cause"] } | undefined;
  private serverWasGone = false;
  /** Whether frames at full size are more than the chosen graphics device takes. */
  private isSharpOnProcessor = false;

  constructor(private readonly engine: Parts) {}

  get sharpOnProcessor(): boolean {
    return this.isSharpOnProcessor;
  }

  open({ document, layers, bakes, cause }: Command & { readonly kind: "open" }): void {
    const { bakery, book, branches, choices, costKeeper, orders, player, stage } = this.engine;
    const before = stage.timeline;
    player.endTake();
    if (stage.document?.id !== document.id) {
      costKeeper.tellNow();
      book.open(document.id);
      orders.clear();
      bakery.stopAll();
      choices.followed = undefined;
    }
    branches.isEdited = cause !== "open";
    choices.layers = layers;
    stage.set({ document, bakes });
    this.rebuild();
    const isEdit = cause !== "open" && stage.timeline !== undefined && before?.document.id === document.id;
    this.untold = isEdit ? { before, cause } : undefined;
  }

  configure(settings: PreviewSettings): void {
    const { choices, devices, disk, held, outlook, player, pool, stage } = this.engine;
    const before = choices.chosen;
    choices.chosen = settings;
    if (before && !dequal(takeTerms(before, choices.layers), takeTerms(settings, choices.layers))) player.endTake();
    pool.resize(settings.parallel);
    devices.choose(settings);
    disk.configure(settings.diskCache);
    held.setBudget(settings.memoryBudgetBytes, evictionContext(this.engine));
    stage.lanes?.tryAgain();
    outlook.note();
    const isOtherDevice = before?.effectsOn !== settings.effectsOn;
    if (!before || isOtherDevice || !dequal(choices.quality(devices, before), choices.quality(devices))) {
      devices.sizeChanged();
      this.rebuild();
    }
    if (before && (before.loop !== settings.loop || before.pacing !== settings.pacing)) player.takeUp();
  }

  chooseLayers(layers: LayerChoices): void {
    const { choices, player, stage } = this.engine;
    const before = choices.layers;
    const { chosen } = choices;
    choices.layers = layers;
    if (chosen && !dequal(takeTerms(chosen, before), takeTerms(chosen, layers))) player.endTake();
    stage.lanes?.tryAgain();
    const { solo, effectsOff } = layers;
    if (dequal([before.solo, before.effectsOff], [solo, effectsOff])) this.followLayers();
    else this.rebuild();
  }

  setBakes(bakes: readonly Bake[]): void {
    const { player, stage } = this.engine;
    player.endTake();
    stage.setBakes(bakes);
    this.rebuild();
  }

  setPlaces(places: MediaPlaces): void {
    const { media, player, pool, stage } = this.engine;
    const { document } = stage;
    const before = document && media.stateIn(document);
    media.set(places);
    pool.setPlaces(places);
    if (!document || dequal(before, media.stateIn(document))) return;
    player.endTake();
    this.rebuild();
  }

  /** A file cannot be read: only what is cached of it is shown from now on, and it is said. */
  loseMedia(lost: LostMedia): void {
    const { disk, emit, media, player, stage } = this.engine;
    if (!media.lose(lost)) return;
    player.endTake();
    const file = mediaFilesOf(stage.document!).find(({ fingerprint }) => fingerprint === lost.fingerprint);
    if (file)
      emit({
        kind: "notice",
        text: `${lost.reason}. What is not cached of ${file.name} is left out until it can be read.`,
      });
    if (lost.serverGone) void disk.refresh();
    this.rebuild();
  }

  compare(comparison: Comparison | undefined): void {
    const { onShow, stage } = this.engine;
    if (stage.compare(comparison)) onShow.expire();
  }

  /** Makes everything anew that follows from the document and from what decides its pixels. */
  rebuild(): void {
    const { book, calibration, choices, devices, held, jobs, onShow, outlook, player, pool } = this.engine;
    const { disk, pace, savings, stage, warmUp } = this.engine;
    const { document, bakes, unreadable } = stage;
    if (!document || !choices.chosen) return;
    const before = stage.timeline;
    const isNew = before?.document.id !== document.id;
    choices.missing = this.engine.media.missingIn(document);
    pool.setScene({ document, bakes, unreadable });
    this.untold = undefined;
    stage.build(choices.quality(devices));
    const timeline = stage.timeline!;
    savings.note();
    outlook.drop();
    this.followLayers();
    this.isSharpOnProcessor = false;
    onShow.expire();
    pace.restart();
    if (isNew) player.reset(timeline.duration);
    const { renderer } = timeline.settings;
    const isUnmeasured = isNew || book.framesOn(renderer) === 0;
    const isUnknown = isUnmeasured && !timeline.isKnownTo(book.modelOf(renderer));
    if (isUnknown) calibration.start(timeline.duration);
    if (isNew) warmUp.start(courseOf(document, player.range), pool.size, isUnknown);
    if (isNew || before?.settings.fraction !== timeline.settings.fraction) this.fitWorkers(timeline);
    jobs.stopWhere((job) => isOfFrame(job) && job.purpose !== "order" && !stage.has(job.key));
    // Nobody waits for what memory did not take of what was on the stage before.
    for (const key of held.overflowKeys) if (!stage.has(key) && !disk.isQueued(key)) held.letGo(key);
  }

  /** The lanes follow the layers that are wanted, the one that is selected, and those whose bars are in view. */
  followLayers(): void {
    const { choices, orders, stage } = this.engine;
    const followed = new Set(choices.keptLayers(orders));
    for (const layer of barLayers(choices.bars, stage.timeline?.duration ?? 0)) followed.add(layer);
    stage.lanes?.follow(followed);
  }

  /** Estimates follow what was learned since they were made. */
  estimateAgain(): void {
    const { savings, stage } = this.engine;
    stage.timeline?.estimateAgain();
    savings.note();
  }

  /** Says what the last edit did to the cache, as soon as all frames are known. */
  tellChange(): void {
    const { untold } = this;
    const { emit, reports, stage } = this.engine;
    const { timeline } = stage;
    if (!untold || !timeline || timeline.hasUnkeyed) return;
    this.untold = undefined;
    const change = { document: timeline.document.id, cause: untold.cause, ...timeline.compareWith(untold.before) };
    reports.now();
    emit({ kind: "cacheChange", change });
  }

  /** Baked pictures and clips that could not be read while the server was gone are tried again when it is back. */
  noteServer(): void {
    const { disk, media, stage } = this.engine;
    const isGone = disk.state.kind === "unreachable";
    if (this.serverWasGone && !isGone) {
      const isMediaBack = media.noteServer();
      if (stage.readAgain() || isMediaBack) this.rebuild();
    }
    this.serverWasGone = isGone;
  }

  /** The graphics device does not render; playback goes on with the next frame, by the processor. */
  fallBack(fault: GraphicsFault): void {
    const { devices, player, stage } = this.engine;
    if (stage.timeline?.settings.renderer !== "gpu-1" || !devices.fail(fault)) return;
    player.take?.fellBack(fault.reason);
    this.rebuild();
  }

  /** A frame at full size may be more than a graphics device takes, while the preview is not. */
  sharpenOnProcessor(): void {
    this.isSharpOnProcessor = true;
  }

  /** What a larger composition made workers take goes back. */
  private fitWorkers({ document, settings }: PreviewTimeline): void {
    const { pool } = this.engine;
    if (pool.memoryBytes < WORTH_FITTING) return;
    pool.fit(ROOM_TO_WORK * workingBuffers(document, settings).memoryBytes + WORTH_FITTING);
  }
}
