import { findWaste, type FrameNumber, type Milliseconds } from "@kinetocache/core";
import { adviseBakes } from "./bakeAdvice";
import type { Desks } from "./desks";
import { evictionContext } from "./evictionContext";
import { explain } from "./explanation";
import { isOfFrame } from "./jobTable";
import type { Command } from "./protocol/command";
import { takeConditions } from "./snapshot";

type CommandOf<Kind extends Command["kind"]> = Extract<Command, { readonly kind: Kind }>;
/** @param sentMs when the command was sent, by `sharedNow` */
type Handler<Kind extends Command["kind"]> = (engine: Desks, command: CommandOf<Kind>, sentMs: Milliseconds) => void;

/** What each command does that tells the engine something, or asks it: background work goes on. */
const QUIET: { readonly [Kind in QuietKind]: Handler<Kind> } = {
  recall: ({ book, costKeeper, stage, staging, timings }, { record }) => {
    timings.enter();
    if (record.document !== stage.document?.id) costKeeper.tellNow();
    book.recall(record);
    staging.estimateAgain();
  },
  storeAs: ({ disk }, { forms }) => disk.setForms(forms),
  contention: ({ contention, timings }, { share }) => {
    contention.note(share);
    timings.enter();
  },
  media: ({ staging }, { places }) => staging.setPlaces(places),
  viewer: ({ onShow, viewer }, { canvas }) => {
    viewer.attach(canvas);
    onShow.clear();
  },
  fill: ({ orders, staging }, { target }) => {
    orders.add(target);
    staging.followLayers();
  },
  pauseFill: ({ orders }, { order, paused }) => orders.pause(order, paused),
  cancelFill: ({ jobs, orders, staging }, { order }) => {
    if (!orders.remove(order)) return;
    jobs.stopWhere((job) => isOfFrame(job) && job.purpose === "order");
    staging.followLayers();
  },
  pauseFilling: ({ choices }, { paused }) => void (choices.fillingPaused = paused),
  follow: ({ choices, staging }, { layer }) => {
    choices.followed = layer;
    staging.followLayers();
  },
  bars: ({ choices, reports, staging }, { wish }) => {
    choices.bars = wish;
    staging.followLayers();
    reports.bars();
  },
  explain: (engine, { frame }) => explainFrame(engine, frame),
  savings: ({ savings }, { wanted }) => savings.want(wanted),
  findWaste: ({ book, emit, stage }) => {
    if (!stage.timeline) return;
    const { document, settings, bakes } = stage.timeline;
    emit({ kind: "waste", waste: findWaste(document, { settings, bakes, model: book.modelOf(settings.renderer) }) });
  },
  bake: ({ bakery }, { bake }) => bakery.start(bake),
  pauseBake: ({ bakery }, { bake, paused }) => bakery.pause(bake, paused),
  stopBake: ({ bakery }, { bake }) => bakery.stop(bake),
  diskChanged: ({ disk }) => void disk.refresh(),
  browserDisk: ({ diskWork }, command) => void diskWork.handle(command),
  carry: ({ diskWork }, command) => void diskWork.handle(command),
  stopCarrying: ({ diskWork }, command) => void diskWork.handle(command),
};

/** What each command does with which the user acts: background work gives way to it. */
const ACTIONS: { readonly [Kind in Exclude<Command["kind"], QuietKind>]: Handler<Kind> } = {
  configure: ({ staging }, { settings }) => staging.configure(settings),
  open: ({ responses, staging, timings }, command) => {
    if (command.cause !== "open") responses.noteEdit(command.sinceMs);
    // What waits is of the state that was open until now, and is kept with it.
    timings.enter();
    staging.open(command);
  },
  removed: ({ disk }, { document }) => disk.drop(document),
  layers: ({ staging }, { layers }) => staging.chooseLayers(layers),
  bakes: ({ staging }, { bakes }) => staging.setBakes(bakes),
  compare: ({ staging }, command) => staging.compare(command.with),
  suggestBakes: (engine, command) => suggestBakes(engine, command),
  play: ({ player }, { speed }) => player.play(speed),
  pause: ({ player }) => player.pause(),
  toggle: ({ player }) => player.toggle(),
  shuttle: ({ player }, { direction }) => player.shuttle(direction),
  seek: (engine, { frame, scrubbing }, sentMs) => {
    if (scrubbing) engine.player.noteScrub();
    seek(engine, frame);
    noteSeek(engine, sentMs);
  },
  step: (engine, { frames }, sentMs) => {
    seek(engine, engine.player.playhead + frames);
    noteSeek(engine, sentMs);
  },
  seekEnd: (engine, { end }) => {
    const { range } = engine.player;
    seek(engine, end === "in" ? range.in : range.out - 1);
  },
  range: (engine, { range }) => {
    engine.player.setRange(range);
    rangeChanged(engine);
  },
  setEnd: (engine, { end }) => {
    engine.player.setEnd(end);
    rangeChanged(engine);
  },
  measureTake: (engine, { emptied }) => {
    const { held, player, staging } = engine;
    player.askForTake(performance.now());
    staging.compare(undefined);
    if (emptied) held.clear(evictionContext(engine));
  },
  measureParallel: ({ trials }, { cores }) => trials.measureParallel(cores),
  measureGraphics: ({ trials }, { devices }) => trials.measureGraphics(devices),
  measureFormats: ({ trials }, { location }) => trials.measureFormats(location),
  retryGraphics: ({ devices, staging }) => {
    devices.retry();
    staging.rebuild();
  },
  changeBrowserDisk: ({ diskWork }, command) => void diskWork.handle(command),
  clearBrowserDisk: ({ diskWork }, command) => void diskWork.handle(command),
  touch: () => undefined,
};

type QuietKind =
  | "recall"
  | "storeAs"
  | "contention"
  | "media"
  | "viewer"
  | "fill"
  | "pauseFill"
  | "cancelFill"
  | "pauseFilling"
  | "follow"
  | "bars"
  | "explain"
  | "savings"
  | "findWaste"
  | "bake"
  | "pauseBake"
  | "stopBake"
  | "diskChanged"
  | "browserDisk"
  | "carry"
  | "stopCarrying";

const HANDLERS: { readonly [Kind in Command["kind"]]: Handler<Kind> } = { ...QUIET, ...ACTIONS };

/** Whether the user does something with it, so that background work gives way. */
export function isAction({ kind }: Command): boolean {
  return kind in ACTIONS;
}

/** Does what a command says. @param sentMs when it was sent, by `sharedNow` */
export function carryOut(engine: Desks, command: Command, sentMs: Milliseconds): void {
  const handler: (engine: Desks, command: never, sentMs: Milliseconds) => void = HANDLERS[command.kind];
  handler(engine, command as never, sentMs);
}

function seek({ player, reports }: Desks, frame: FrameNumber): void {
  player.seek(frame);
  reports.playhead(player.playhead, false);
}

function noteSeek({ player, responses, stage }: Desks, sentMs: Milliseconds): void {
  responses.noteSeek(sentMs, stage.timeline?.isInMemory(player.playhead) ?? false);
}

function rangeChanged({ outlook, savings }: Desks): void {
  savings.note();
  outlook.drop();
}

function suggestBakes(engine: Desks, { roomBytes, sequence }: CommandOf<"suggestBakes">): void {
  const { advice, book, disk, player, stage } = engine;
  player.pause();
  advice.start(sequence, () => {
    const { timeline } = stage;
    const conditions = takeConditions(engine);
    if (!timeline || !conditions) return undefined;
    const model = book.modelOf(timeline.settings.renderer);
    return adviseBakes({ timeline, range: player.range, conditions, model, roomBytes, readRate: disk.readRate });
  });
}

function explainFrame(engine: Desks, frame: FrameNumber): void {
  const { book, choices, emit, held, stage } = engine;
  const { timeline } = stage;
  if (!timeline || frame >= timeline.duration) return;
  const model = book.modelOf(timeline.settings.renderer);
  const explanation = explain(timeline, frame, held, evictionContext(engine), model, choices.layers.pinned);
  emit({ kind: "explanation", explanation });
}
