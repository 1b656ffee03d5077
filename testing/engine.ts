import {
  Bakes,
  BROWSER_LOCATION,
  buildBakeGraph,
  buildGraph,
  FULL_QUALITY,
  DEFAULT_LOCATION_SETTINGS,
  inOrder,
  PIXEL_BYTES,
  pixelCount,
  storedFrameName,
  withVariant,
  type Bake,
  type Branch,
  workUnits,
  type ContentKey,
  type CostSample,
  type DecodeDevice,
  type Document,
  type FrameGraph,
  type FrameItem,
  type GraphNode,
  type GraphicsChoice,
  type LocationSettings,
  type Milliseconds,
  type SourceNode,
  type StoredFrame,
} from "@kinetocache/core";
import type { BrowserPort } from "../packages/web/src/engine/browserDesk";
import type { BrowserDiskState } from "../packages/web/src/engine/browserDisk/browserDisk";
import { Engine } from "../packages/web/src/engine/engine";
import type { Surroundings } from "../packages/web/src/engine/parts";
import {
  NO_LAYER_CHOICES,
  type Command,
  type LayerChoices,
  type PreviewSettings,
} from "../packages/web/src/engine/protocol/command";
import { type EngineEvent } from "../packages/web/src/engine/protocol/event";
import { type BakeTask, type RenderTask } from "../packages/web/src/engine/protocol/rendering";
import type {
  Answer,
  Failure,
  FetchedPicture,
  HeldPicture,
  Listing,
  OutgoingFrame,
  Target,
} from "../packages/web/src/engine/frameStorage";
import type { MediaPlaces } from "../packages/web/src/engine/media/mediaBytes";
import type { SequencePort } from "../packages/web/src/engine/sequenceClient";
import { copyPixels, newPixels } from "../packages/web/src/engine/pixels";
import { sharedNow } from "../packages/web/src/engine/responses";
import type { LostMedia, RenderOutcome } from "../packages/web/src/engine/protocol/rendering";
import type { Scene } from "../packages/web/src/engine/protocol/rendering";
import { document, layer } from "./documents";

/** Frames of 64 × 36 at 8-bit. */
export const FRAME_BYTES = 64 * 36 * 4;

export const SETTINGS: PreviewSettings = {
  fraction: 1,
  scrubFraction: 1,
  effects: "All",
  motionBlur: true,
  tradeOffs: true,
  memoryBudgetBytes: 2 ** 20,
  parallel: 2,
  window: { before: 2, after: 6 },
  background: "Off",
  pauseFillingWhilePlaying: true,
  idleDelayMs: 1000,
  pacing: "keep time",
  sharpenWhenParked: true,
  loop: true,
  effectsOn: "processor",
  decodingOn: "processor",
  diskCache: { location: "main", store: "Always", storeSlow: false },
};

/** A square that moves, so that every frame differs; `scale` tells states apart. */
export function moving(scale = 1, change: Partial<Document> = {}): Document {
  const x = { keyframes: [0, 24].map((frame) => ({ frame, value: 1 + frame * 2, ease: "linear" as const })) };
  return document(
    [layer("square", "solid", {}, { transform: { x, y: 0, anchorX: 0, anchorY: 0, scale, rotation: 0 } })],
    change,
  );
}

interface RenderJob extends RenderTask {
  readonly id: number;
}

function storedFrameOf({ parameters }: SourceNode): StoredFrame {
  return { sequence: String(parameters.sequence), frame: Number(parameters.frame) };
}

/** A layer's finished pixels, blank, of the size of its window. */
function branchOf({ key, window }: GraphNode): Branch {
  return { key, window, pixels: newPixels(pixelCount(window) * PIXEL_BYTES) };
}

/** Stands in for the render workers: every frame takes `frameMs`, and is blank. */
class FakePool {
  size = 2;
  memoryBytes = 0;
  frameMs: Milliseconds = 10;
  /** Frames that cannot be rendered. */
  readonly broken = new Set<number>();
  /** Why the graphics device does not render, while it does not. */
  graphicsFault: { readonly reason: string; readonly lost: boolean } | undefined;
  /** Why the graphics device does not decode, while it does not. */
  decodeFault: string | undefined;
  decoding: DecodeDevice = "processor";
  /** The graphics device that was last asked for. */
  graphics: GraphicsChoice | undefined;
  readonly started: RenderJob[] = [];
  readonly stopped: number[] = [];
  onOutcome: (outcome: RenderOutcome) => void = () => undefined;
  readonly running = new Map<number, RenderJob>();
  /** What is asked of a branch and of a frame that need not render it. */
  branchMs: Milliseconds = 8;
  /** Names of stored pictures that cannot be read. */
  readonly unreadable = new Set<string>();
  /** Whether these cannot be read because the server is gone. */
  serverIsGone = false;
  private scene: Scene | undefined;

  get freeSlots(): number {
    return this.size - this.running.size;
  }

  /** Frames started at full preview size, which calibration is not, since the last call. */
  takeStarted(fraction = 1): number[] {
    return this.started
      .splice(0)
      .filter(({ settings, branch }) => settings.fraction === fraction && branch === undefined)
      .map(({ frame }) => frame);
  }

  resize(count: number): void {
    this.size = count;
  }

  /** What workers were told to keep of their memory. */
  readonly fitted: number[] = [];

  fit(mostBytes: number): void {
    this.fitted.push(mostBytes);
  }

  setGraphics(choice: GraphicsChoice): void {
    this.graphics = choice;
  }

  setDecoding(on: DecodeDevice): void {
    this.decoding = on;
  }

  /** Where files were said to lie, and those that cannot be read, by their fingerprints. */
  places: MediaPlaces = {};
  readonly lostMedia = new Map<string, LostMedia>();

  setPlaces(places: MediaPlaces): void {
    this.places = places;
  }

  setScene(scene: Scene): void {
    this.scene = scene;
  }

  render(id: number, task: RenderTask): void {
    if (this.freeSlots === 0) throw new Error("All render workers are busy");
    const job = { ...task, id };
    this.running.set(id, job);
    this.started.push(job);
    const { document: opened, bakes, unreadable } = this.scene!;
    const shown = task.variant === undefined ? opened : withVariant(opened, task.variant);
    const graph = buildGraph(shown, task.frame, task.settings, new Bakes(bakes, new Set(unreadable)));
    setTimeout(() => this.end(job, graph), this.frameMs);
  }

  /** Pictures of bakes that were stored, by sequence and number. */
  readonly baked = new Map<string, ContentKey>();
  /** Why nothing more is stored, while it is not. */
  bakeRefusal: string | undefined;

  bake(id: number, task: BakeTask): void {
    if (this.freeSlots === 0) throw new Error("All render workers are busy");
    this.running.set(id, { id, frame: task.frame, settings: FULL_QUALITY });
    const key = buildBakeGraph(this.scene!.document, task.target, task.frame, task).liveKey;
    setTimeout(() => {
      this.running.delete(id);
      if (this.stopped.includes(id)) this.onOutcome({ kind: "cancelled", job: id, lent: [] });
      else if (this.bakeRefusal)
        this.onOutcome({ kind: "failed", job: id, reason: this.bakeRefusal, ended: false, lent: [] });
      else {
        this.baked.set(`${task.sequence}/${task.number}`, key);
        this.onOutcome({ kind: "baked", job: id, key, lent: [] });
      }
    }, this.frameMs);
  }

  stop(id: number): void {
    this.stopped.push(id);
  }

  private lostIn(root: GraphNode): LostMedia | undefined {
    const { assets } = this.scene!.document;
    const files = inOrder(root).flatMap((node) => {
      const asset = node.kind === "clip" ? assets[String(node.parameters.asset)] : undefined;
      return asset?.kind === "clip" && asset.file ? [asset.file.fingerprint] : [];
    });
    return files.map((fingerprint) => this.lostMedia.get(fingerprint)).find((lost) => lost !== undefined);
  }

  private end({ id, frame, settings, branch: part, branches, tries }: RenderJob, { key, root }: FrameGraph): void {
    const { renderer } = settings;
    this.running.delete(id);
    const lent = branches?.held ?? [];
    const stored = inOrder(root).flatMap((node) => (node.kind === "sequence" ? [storedFrameOf(node)] : []));
    const lost = this.lostIn(root);
    const missing = stored.find((one) => this.unreadable.has(storedFrameName(one)));
    if (this.stopped.includes(id)) this.onOutcome({ kind: "cancelled", job: id, lent });
    else if (renderer === "gpu-1" && this.graphicsFault)
      this.onOutcome({ kind: "noGraphics", job: id, ...this.graphicsFault, lent });
    else if (this.broken.has(frame))
      this.onOutcome({ kind: "failed", job: id, reason: "the artwork is not SVG", ended: false, lent });
    else if (lost) this.onOutcome({ kind: "failed", job: id, reason: lost.reason, ended: false, lost, lent });
    else if (missing)
      this.onOutcome({
        kind: "unreadable",
        job: id,
        stored: missing,
        reason: "it is gone",
        all: this.serverIsGone,
        lent,
      });
    else if (part !== undefined) {
      const node = root.inputs.find((input) => input.key === part)!;
      const measured = { ms: this.branchMs, costs: [], warm: true, jumped: false };
      this.onOutcome({ kind: "branch", job: id, branch: branchOf(node), lent, ...measured });
    } else {
      const kept = root.inputs.filter((node) => branches?.keep.includes(node.key)).map(branchOf);
      const pixels = newPixels(FRAME_BYTES);
      // All of the time goes to putting the layer in its place; of the rest it is known that it takes none.
      const nodes = inOrder(root);
      const [rest, placed] = [nodes.filter(({ kind }) => kind !== "place"), nodes.find(({ kind }) => kind === "place")];
      const units = placed ? workUnits(placed) : 1;
      const costs: CostSample[] = [
        { key, kind: "place", layer: "square", units, ms: this.frameMs },
        ...rest.map(({ key: own, kind }) => ({ key: own, kind, layer: null, units: 1, ms: 0 })),
      ];
      const size = { width: 64, height: 36, pixels, memoryBytes: 0 };
      const timing = {
        ms: this.frameMs,
        costs,
        nodesTimed: true,
        warm: true,
        jumped: false,
        renderer,
        decodeFault: this.decodeFault,
      };
      const pictures = tries?.bakes.map(({ id: bake }, at) => {
        return { bake, frame, number: tries.number + at, bytes: FRAME_BYTES, ms: this.frameMs };
      });
      this.onOutcome({ kind: "rendered", job: id, key, ...size, ...timing, branches: kept, lent, pictures });
    }
  }
}

/** Stands in for the server's disk cache, or for the browser's. */
export class FakeDisk implements BrowserPort {
  readonly frames = new Map<ContentKey, HeldPicture>();
  listMs: Milliseconds = 0;
  fetchMs: Milliseconds = 5;
  storeMs: Milliseconds = 5;
  /** What every request meets while it is set. */
  failure: Failure | undefined;
  readonly damaged = new Set<ContentKey>();
  stores = 0;
  packing: Target["packing"] = "plain";
  /** How frames were packed that came last. */
  lastPacking: Target["packing"] | undefined;
  settings = DEFAULT_LOCATION_SETTINGS;

  constructor(readonly location: string = "main") {}

  list(): Promise<Answer<Listing>> {
    const { location, packing } = this;
    return this.after(this.listMs, () => ({
      frames: [{ location, frames: [...this.frames.keys()].map((key) => [key, 100] as const) }],
      targets: [{ location, packing, deepest: "float" }],
    }));
  }

  async fetch(key: ContentKey): Promise<Answer<FetchedPicture>> {
    if (this.damaged.has(key)) return { ok: false, failure: { kind: "refused", code: "damaged", detail: "damaged" } };
    return this.after(this.fetchMs, () => {
      const picture = this.frames.get(key)!;
      return {
        ...picture,
        pixels: copyPixels(picture.pixels),
        bytes: picture.pixels.byteLength,
        location: this.location,
        owner: "main",
        costMs: 100,
      };
    });
  }

  store({ key, picture }: OutgoingFrame, target: Target): Promise<Answer<number>> {
    if (target.location !== this.location) throw new Error(`${target.location} is not ${this.location}`);
    const copy = { ...picture, pixels: picture.pixels.slice() };
    this.stores++;
    this.lastPacking = target.packing;
    return this.after(this.storeMs, () => {
      this.frames.set(key, copy);
      return copy.pixels.byteLength;
    });
  }

  remove(key: ContentKey): Promise<Answer<void>> {
    return this.clear([key]);
  }

  clear(keys?: readonly ContentKey[]): Promise<Answer<void>> {
    return this.after(0, () => [...(keys ?? this.frames.keys())].forEach((key) => this.frames.delete(key)));
  }

  change(settings: Partial<LocationSettings>): Promise<Answer<void>> {
    return this.after(0, () => void (this.settings = { ...this.settings, ...settings }));
  }

  items(): Promise<Answer<readonly FrameItem[]>> {
    return this.after(0, () =>
      [...this.frames].map(([key, { pixels }]) => ({
        key,
        owner: "main",
        bytes: pixels.byteLength,
        lastUsedMs: 0,
        costMs: 100,
      })),
    );
  }

  state(): Promise<BrowserDiskState> {
    const { settings, frames } = this;
    const bytes = [...frames.values()].reduce((sum, { pixels }) => sum + pixels.byteLength, 0);
    return Promise.resolve({
      condition: { kind: "open" },
      settings,
      frames: frames.size,
      bytes,
      freeBytes: 2 ** 30,
      growth: [],
    });
  }

  private async after<T>(ms: Milliseconds, value: () => T): Promise<Answer<T>> {
    if (ms > 0) await new Promise((resolve) => setTimeout(resolve, ms));
    return this.failure ? { ok: false, failure: this.failure } : { ok: true, value: value() };
  }
}

/** An engine among stand-ins, on jest's fake clock. */
export class EngineRig {
  readonly pool = new FakePool();
  readonly shown: HeldPicture[] = [];
  readonly events: EngineEvent[] = [];
  readonly engine: Engine;
  readonly browser = new FakeDisk(BROWSER_LOCATION);
  /** Sequences that were found complete. */
  readonly completed: string[] = [];
  private readonly sequences: SequencePort = {
    pictures: (id) =>
      Promise.resolve(
        new Map(
          [...this.pool.baked]
            .filter(([name]) => name.startsWith(`${id}/`))
            .map(([name, key]) => [Number(name.slice(id.length + 1)), key]),
        ),
      ),
    complete: (id) => Promise.resolve(void this.completed.push(id)),
  };

  private layers = NO_LAYER_CHOICES;

  constructor(
    readonly disk = new FakeDisk(),
    private settings = SETTINGS,
  ) {
    const surroundings: Surroundings = {
      pool: this.pool,
      disks: { server: disk, browser: this.browser },
      sequences: this.sequences,
      viewer: { attach: () => undefined, show: (pictures) => void this.shown.push(...pictures) },
      emit: (event) => void this.events.push(event),
    };
    this.engine = new Engine(surroundings);
    this.pool.onOutcome = (outcome) => this.engine.onOutcome(outcome);
  }

  /** Opens a document and waits until calibration is over and the first frame is on show. */
  async open(opened: Document = moving()): Promise<void> {
    this.engine.handle({ kind: "configure", settings: this.settings });
    this.reopen(opened, "open");
    await this.run(900);
    this.pool.takeStarted();
  }

  /** Another state of the document, or another one. */
  reopen(opened: Document, cause: "open" | "edit" | "undo" | "redo", bakes: readonly Bake[] = []): void {
    this.engine.handle({ kind: "open", document: opened, layers: this.layers, bakes, cause, sinceMs: sharedNow() });
  }

  choose(change: Partial<LayerChoices>): void {
    this.layers = { ...this.layers, ...change };
    this.send({ kind: "layers", layers: this.layers });
  }

  send(...commands: Command[]): void {
    commands.forEach((command) => this.engine.handle(command));
  }

  configure(change: Partial<PreviewSettings>): void {
    this.settings = { ...this.settings, ...change };
    this.send({ kind: "configure", settings: this.settings });
  }

  /** Lets time pass. */
  async run(ms: Milliseconds): Promise<void> {
    await jest.advanceTimersByTimeAsync(ms);
  }

  /** Renders all frames into memory, as far as it holds them. */
  async fill(): Promise<void> {
    this.configure({ background: "Idle", idleDelayMs: 0 });
    await this.run(2000);
    this.configure({ background: "Off" });
    this.pool.takeStarted();
  }

  all<Kind extends EngineEvent["kind"]>(kind: Kind): Extract<EngineEvent, { kind: Kind }>[] {
    return this.events.filter((event): event is Extract<EngineEvent, { kind: Kind }> => event.kind === kind);
  }

  /** The latest event of a kind. */
  last<Kind extends EngineEvent["kind"]>(kind: Kind): Extract<EngineEvent, { kind: Kind }> {
    const found = this.all(kind).at(-1);
    if (!found) throw new Error(`No ${kind} was emitted`);
    return found;
  }

  get status() {
    return this.last("status").status;
  }

  get notices(): string[] {
    return this.all("notice").map(({ text }) => text);
  }

  /** Frames with a residency bit. */
  held(bit: number): number {
    return this.last("timeline").data.residency.reduce((sum, bits) => sum + Number((bits & bit) !== 0), 0);
  }

  /** Measures a take over all 24 frames. */
  async measure() {
    this.send({ kind: "measureTake" });
    await this.run(10_000);
    return this.last("take").take;
  }
}

/** An engine with the plain composition open, on the settings of tests with some changed. */
export async function openEngine(settings: Partial<typeof SETTINGS> = {}, disk = new FakeDisk()): Promise<EngineRig> {
  const rig = new EngineRig(disk, { ...SETTINGS, ...settings });
  await rig.open();
  return rig;
}

/** Time passes when a test says so, in each test of a file. */
export function onFakeTime(): void {
  beforeEach(() => jest.useFakeTimers());
  afterEach(() => {
    jest.restoreAllMocks();
    jest.useRealTimers();
  });
}
