import type { Action, FrameNumber, Purpose } from "@kinetocache/core";
import { NO_EXCHANGE, type Exchange } from "./branchDesk";
import type { HeldPicture } from "./frameStorage";
import type { Desks } from "./desks";
import { evictionContext } from "./evictionContext";
import type { PreviewTimeline } from "./previewTimeline";

/** Carries out what the scheduler says: shows pictures, and begins jobs. */
export class Performer {
  constructor(private readonly engine: Desks) {}

  perform(action: Exclude<Action, { readonly kind: "end" }>): void {
    switch (action.kind) {
      case "show":
        return this.show(action.frame, action.step);
      case "skip":
        return this.skip(action.frame, action.step);
      case "showScrub":
        return this.showScrub(action.frame);
      case "fetch":
        return this.fetch(action.frame, action.purpose);
      case "render":
        if (action.layer !== undefined) this.renderLayer(action.frame, action.layer, action.purpose);
        else if (action.purpose === "sharpen" || action.purpose === "scrub")
          this.renderOther(action.frame, action.purpose);
        else this.render(action.frame, action.purpose, action.keep);
        return;
      case "cancel": {
        const job = this.engine.jobs.get(action.job);
        if (job) this.engine.jobs.stop(job);
      }
    }
  }

  private show(frame: FrameNumber, step: number): void {
    const { held, onShow, player, reports, responses, stage, viewer } = this.engine;
    const keys = stage.sides(player.isPlaying).map((side) => side.keyOf(Math.min(frame, side.duration - 1)));
    const context = evictionContext(this.engine);
    const pictures = keys.map((key) => held.use(key, context));
    this.engine.again();
    const gone = keys.filter((_, index) => !pictures[index]);
    if (gone.length > 0) {
      // Noted as held but gone: the note is corrected and the frame is obtained again.
      gone.forEach((key) => stage.noteHeld(key, false));
      return;
    }
    if (!onShow.has(keys)) viewer.show(pictures as HeldPicture[], stage.comparison);
    const now = performance.now();
    for (const key of onShow.keys) if (!keys.includes(key)) held.letGo(key);
    onShow.show(frame, keys, now);
    responses.noteShown(keys);
    player.showed(step, frame, keys, now);
    reports.playhead(frame, player.isPlaying);
  }

  private showScrub(frame: FrameNumber): void {
    const { choices, held, onShow, stage, viewer } = this.engine;
    const picture = held.use(stage.timeline!.keyAt(frame, choices.scrubFraction), evictionContext(this.engine));
    if (!picture) return;
    viewer.show([picture], undefined);
    onShow.scrub(frame, performance.now());
  }

  private skip(frame: FrameNumber, step: number): void {
    const { held, player, reports, stage } = this.engine;
    for (const side of stage.sides(true)) held.letGo(side.keyOf(Math.min(frame, side.duration - 1)));
    player.skipped(step, frame);
    reports.playhead(frame, true);
  }

  /** The frame at another size than that of the preview. */
  private renderOther(frame: FrameNumber, purpose: "sharpen" | "scrub"): void {
    const { choices, jobs, pool, stage, staging } = this.engine;
    if (pool.freeSlots === 0) return;
    const timeline = stage.timeline!;
    const fraction = purpose === "sharpen" ? 1 : choices.scrubFraction;
    const isOnProcessor = purpose === "sharpen" && staging.sharpOnProcessor;
    const renderer = isOnProcessor ? "cpu-1" : timeline.settings.renderer;
    const key = timeline.keyAt(frame, fraction);
    if (purpose === "scrub") stage.noteScrubbed(key, frame);
    const job = jobs.add({ kind: "frame", frame, purpose, keep: "memory", key, timeline, taken: [] });
    pool.render(job.id, { frame, settings: { ...timeline.settings, fraction, renderer } });
  }

  private render(frame: FrameNumber, purpose: Purpose, keep: "memory" | "disk"): void {
    const { jobs, pool, stage } = this.engine;
    if (pool.freeSlots === 0) return;
    const side = this.lacking(frame);
    const key = side?.keyOf(frame);
    // The key may only now be known, and be held already; or a twin of this frame is on its way.
    if (!side || key === undefined || side.isInMemory(frame)) {
      this.engine.again();
      return;
    }
    if (jobs.isUnderWay(key)) return;
    if (stage.other && side.isOnDisk(frame)) {
      this.fetch(frame, purpose);
      return;
    }
    const branches = this.exchange(side, frame);
    const job = jobs.add({ kind: "frame", frame, purpose, keep, key, timeline: side, taken: branches.held });
    const variant = side === stage.timeline ? undefined : side.document.main;
    pool.render(job.id, { frame, settings: side.settings, variant, branches });
  }

  /** One layer's finished pixels. */
  private renderLayer(frame: FrameNumber, layer: string, purpose: Purpose): void {
    const { branches, held, jobs, pool, stage } = this.engine;
    const timeline = stage.timeline!;
    if (pool.freeSlots === 0) return;
    const { inputs } = timeline.graphOf(frame).root;
    const node = inputs.find((one) => one.layer === layer && !held.has(one.key) && !jobs.isUnderWay(one.key));
    if (!node) return;
    branches.note(node.key, layer, frame);
    const job = jobs.add({ kind: "branch", frame, purpose, keep: "memory", key: node.key, layer, timeline });
    pool.render(job.id, { frame, settings: timeline.settings, branch: node.key });
  }

  private fetch(frame: FrameNumber, purpose: Purpose): void {
    const { admission, disk, jobs, spares } = this.engine;
    const side = this.lacking(frame);
    if (!side) return;
    const key = side.keyOf(frame);
    if (jobs.isExpected(key)) return;
    if (!side.isOnDisk(frame)) {
      this.render(frame, purpose, "memory");
      return;
    }
    const job = jobs.add({ kind: "fetch", frame, purpose, keep: "memory", key, timeline: side });
    void disk.fetch(key, spares.take()).then((picture) => {
      jobs.end(job.id);
      admission.fetched(job, picture);
      this.engine.pump();
    });
  }

  /** The side of a comparison, or the only one, whose frame is not in memory. */
  private lacking(frame: FrameNumber): PreviewTimeline | undefined {
    const { player, stage } = this.engine;
    return stage.lacking(frame, player.isPlaying);
  }

  /** Branches that go along with a frame. Only the processor's workers take them, and none are kept during playback. */
  private exchange(side: PreviewTimeline, frame: FrameNumber): Exchange {
    const { book, branches, choices, orders, player } = this.engine;
    const { renderer } = side.settings;
    if (renderer !== "cpu-1") return NO_EXCHANGE;
    const { root } = side.graphOf(frame);
    const context = player.isPlaying ? undefined : evictionContext(this.engine);
    const wanted = new Set(choices.wantedLayers(orders));
    // A nested composition is what is put together beforehand: it is what stays while the rest is tried out.
    for (const { id, source } of side.composition.layers) if (source.kind === "composition") wanted.add(id);
    return branches.exchange(root, frame, book.modelOf(renderer), wanted, context);
  }
}
