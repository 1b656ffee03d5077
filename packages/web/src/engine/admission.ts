import type { Branch, ContentKey, EvictionContext, Milliseconds, Origin } from "@kinetocache/core";
import { evictionContext } from "./evictionContext";
import type { FetchedPicture, HeldPicture } from "./frameStorage";
import type { EngineJob, JobOf } from "./jobTable";
import type { Parts } from "./parts";
import { releasePixels } from "./pixels";
import type { RenderOutcome } from "./protocol/rendering";
import type { Rendered } from "./renderPool";
import type { Timings } from "./timings";
import { isLasting } from "./tradeOffs";

// Frames that memory does not take are written to disk as overflow; more than this wait for the disk.
export const MOST_OVERFLOW = 4;

interface Admittance {
  readonly origin: Origin;
  readonly keep: "memory" | "disk";
  /** Document that the frame belongs to on disk. */
  readonly owner: string;
  /** Whether background rendering made it. */
  readonly inBackground: boolean;
}

/** Takes what was rendered or read into memory, or for the moment into the overflow, and passes new frames on to the disk. */
export class Admission {
  /** Frames rendered for the preview since the start. */
  renderedFrames = 0;

  constructor(private readonly engine: Parts & { readonly timings: Timings }) {}

  rendered(job: JobOf<"frame">, outcome: Rendered): void {
    if (job.purpose === "scrub") this.forScrubbing(job, outcome);
    else if (job.purpose === "sharpen") this.sharp(job, outcome);
    else this.frame(job, outcome);
  }

  branch(job: JobOf<"branch">, { branch, ms, costs, warm, jumped }: RenderOutcome & { readonly kind: "branch" }): void {
    const { book, contention } = this.engine;
    if (warm && !jumped) book.learnNodes(job.timeline.settings.renderer, costs, contention.share);
    this.admitBranch(branch, ms, job.frame);
  }

  /** @param picture undefined where it could not be had from disk */
  fetched(job: JobOf<"fetch">, picture: FetchedPicture | undefined): void {
    const { book, pace, player } = this.engine;
    if (!picture) return;
    const { key, timeline, frame } = job;
    pace.fetched(frame, performance.now(), job.startedMs);
    player.take?.read(picture.bytes);
    const costMs = book.measured(key)?.ms ?? timeline.costs.costs[frame] ?? 0;
    const owner = timeline.document.id;
    this.admit(key, picture, costMs, { origin: "disk", keep: "memory", owner, inBackground: false });
  }

  /** What was lent for a job comes back, or is lost with the worker that had it. */
  takeBack(job: EngineJob | undefined, { lent }: RenderOutcome): void {
    const { held } = this.engine;
    lent.forEach((branch) => held.takeBack(branch));
    if (job?.kind !== "frame") return;
    const back = new Set(lent.map(({ key }) => key));
    for (const { key } of job.taken) if (!back.has(key)) held.lose(key);
  }

  /** What memory does not take is shown as overflow, if it is still wanted. */
  private forScrubbing({ timeline }: JobOf<"frame">, { key, ms, ...rendered }: Rendered): void {
    const { held, stage } = this.engine;
    const picture = pictureOf(rendered, timeline);
    if (held.put(key, picture, ms, evictionContext(this.engine))) return;
    if (stage.isPresent(timeline)) held.keepOverflow(key, picture, true);
    else releasePixels(rendered.pixels);
  }

  private sharp({ frame, timeline, stopping }: JobOf<"frame">, rendered: Rendered): void {
    const { onShow, player, stage, viewer } = this.engine;
    const isOnShow = !player.isPlaying && frame === player.playhead && onShow.frame === frame;
    if (isOnShow && !stopping && timeline === stage.timeline) {
      viewer.show([pictureOf(rendered, timeline)], undefined);
      onShow.sharpen(frame);
    }
    releasePixels(rendered.pixels);
  }

  private frame(job: JobOf<"frame">, rendered: Rendered): void {
    const { arrival, branches, devices, pace, player, responses, stage, timings } = this.engine;
    const { key, ms, costs, warm } = rendered;
    const { timeline, frame, purpose, keep } = job;
    this.renderedFrames++;
    responses.noteRendered(key, ms);
    devices.noteDecoding(rendered);
    const now = performance.now();
    const expectedMs = stage.isPresent(timeline) ? timeline.costs.costs[frame]! : 0;
    arrival.note(now - job.startedMs, expectedMs);
    // What compiling its code took says nothing of the rest, of which as much is expected.
    if (warm && timeline === stage.timeline) pace.rendered(frame, now, job.startedMs, expectedMs);
    if (warm && !rendered.jumped) timings.note(job, rendered);
    player.take?.rendered(frame, rendered);
    for (const branch of rendered.branches) {
      const layer = branches.layerOf(branch.key);
      const own = costs.filter((cost) => cost.layer === layer).reduce((sum, cost) => sum + cost.ms, 0);
      this.admitBranch(branch, own, frame);
    }
    // One time that it took is not what it costs: others may have had the processor, or the compiler.
    const costMs = timeline.costs.costs[frame]! || ms;
    const inBackground = purpose === "fill" || purpose === "order";
    const owner = timeline.document.id;
    this.admit(key, pictureOf(rendered, timeline), costMs, { origin: "rendered", keep, owner, inBackground });
  }

  private admitBranch(branch: Branch, costMs: Milliseconds, frame: number): void {
    const { branches, held, stage } = this.engine;
    const layer = branches.layerOf(branch.key);
    // The document may have changed since it was asked for.
    if (layer === undefined || held.has(branch.key)) {
      releasePixels(branch.pixels);
      return;
    }
    if (!branches.admit(branch, costMs, evictionContext(this.engine))) stage.lanes?.refuse(layer, frame);
  }

  private admit(key: ContentKey, picture: HeldPicture, costMs: Milliseconds, how: Admittance): void {
    const { disk, held, onShow, player, stage } = this.engine;
    const { origin, keep, owner, inBackground } = how;
    if (held.isCached(key)) {
      releasePixels(picture.pixels);
      return;
    }
    held.letGo(key);
    const context = evictionContext(this.engine);
    const isAdmitted = keep === "memory" && held.put(key, picture, costMs, context);
    player.noteOrigin(key, origin);
    const lasts = stage.timeline !== undefined && isLasting(stage.timeline.settings);
    const goesToDisk = origin === "rendered" && lasts;
    const isWanted = goesToDisk && !disk.has(key) && disk.wants(costMs, inBackground);
    if (!isAdmitted) {
      const shows = keep === "memory" && stage.has(key) && this.isAhead(key, context);
      // Nothing is written during playback: of what comes too late a few wait for its end.
      const waits = isWanted && (!player.isPlaying || held.overflowKeys.length < MOST_OVERFLOW);
      if (shows || waits) held.keepOverflow(key, picture, shows);
      else releasePixels(picture.pixels);
    }
    if (!goesToDisk) return;
    disk.offer({
      key,
      owner,
      costMs,
      inBackground,
      picture: () => held.peek(key),
      settled: () => {
        if (!onShow.keys.includes(key) && !player.isPlaying) held.letGo(key);
      },
    });
  }

  /** Whether a frame is still to be shown soon: what comes too late during playback is not. */
  private isAhead(key: ContentKey, context: EvictionContext): boolean {
    const { choices, pool } = this.engine;
    return context.mode !== "playback" || context.nextUse(key) <= choices.settings.window.after + pool.size;
  }
}

function pictureOf(
  { width, height, pixels }: Pick<Rendered, "width" | "height" | "pixels">,
  { document }: JobOf<"frame">["timeline"],
): HeldPicture {
  return { width, height, depth: document.depth, pixels };
}
