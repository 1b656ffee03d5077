import { documentKey, frameBudgetMs, isRealTime, mainComposition, type Document } from "@kinetocache/core";
import { EngineRig, FRAME_BYTES, FakeDisk, moving, SETTINGS } from "../../../../testing/engine";
import { randoms } from "../../../../testing/pictures";
import type { StoredTake } from "../data/database";
import type { PreviewSettings } from "../engine/protocol/command";
import type { MeasuredTake } from "../engine/protocol/event";
import { answerOf, playedTheSame, speaksForNow, sumUp } from "./verdict";

const SEQUENCES = 300;
const STEPS = 5;
// A share that is simulated is right to so many frames of the range.
const NEAR = 0.15;
const room = (frames: number) => frames * (FRAME_BYTES + 512);

beforeEach(() => jest.useFakeTimers());
afterEach(() => jest.useRealTimers());

/** What a user does with one composition, at random, and what stands at the top then. */
class Session {
  private rig = new EngineRig(new FakeDisk(), SETTINGS);
  private settings: PreviewSettings = { ...SETTINGS, background: "Off" };
  private document: Document = moving();
  private solo: readonly string[] = [];
  private last: MeasuredTake | undefined;

  constructor(
    private readonly pick: (below: number) => number,
    private readonly frameMs: number,
  ) {}

  async start(): Promise<void> {
    this.rig.pool.frameMs = this.frameMs;
    this.rig.configure(this.settings);
    await this.rig.open(this.document);
    await this.rig.run(1000);
  }

  private change(change: Partial<PreviewSettings>): void {
    this.settings = { ...this.settings, ...change };
    this.rig.configure(change);
  }

  /** Edits, settings, reloads, evictions, filling, takes. */
  async step(): Promise<void> {
    const { rig, pick } = this;
    switch (pick(8)) {
      case 0:
        this.document = moving(1 + pick(3) / 100);
        rig.reopen(this.document, "edit");
        break;
      case 1:
        this.change({ parallel: 1 + pick(4) });
        break;
      case 2:
        this.change({ memoryBudgetBytes: room([4, 12, 24, 40][pick(4)]!) });
        break;
      case 3:
        this.change({ background: "Idle", idleDelayMs: 0 });
        await rig.run(pick(12) * this.frameMs);
        this.change({ background: "Off" });
        break;
      case 4: {
        await rig.run(4000);
        const record = rig.all("costs").at(-1)?.record;
        this.rig = new EngineRig(rig.disk, this.settings);
        this.rig.pool.frameMs = this.frameMs;
        if (record) this.rig.send({ kind: "recall", record });
        this.rig.choose({ solo: this.solo });
        await this.rig.open(this.document);
        break;
      }
      case 5:
        this.solo = pick(2) ? ["square"] : [];
        rig.choose({ solo: this.solo });
        break;
      case 6:
        this.change({ pacing: pick(2) ? "keep time" : "show every frame" });
        break;
      case 7:
        await this.take();
        break;
    }
    await this.rig.run(200);
  }

  /** A take, made right then. */
  async take(): Promise<MeasuredTake> {
    this.rig.send({ kind: "measureTake" });
    await this.rig.run(30_000);
    this.last = this.rig.last("take").take;
    return this.last;
  }

  async answer(): Promise<string> {
    await this.rig.run(2000);
    const { rig, document, settings, last } = this;
    const { range } = rig.status;
    const figures = sumUp(rig.last("timeline").data, range, frameBudgetMs(mainComposition(document).rate));
    const layers = { solo: this.solo, effectsOff: [], marked: [], pinned: [] };
    const present = { state: documentKey(document), settings, layers, bakes: [], range, missing: {} };
    const isOfNow =
      last !== undefined && playedTheSame(last as StoredTake, present) && speaksForNow(last as StoredTake, figures);
    return answerOf(figures, isOfNow ? last.summary : undefined, rig.all("outlook").at(-1)?.outlook?.summary, "24");
  }
}

test("the verdict is what a take says that is made right then, whatever was done before", async () => {
  const wrong: string[] = [];
  for (let seed = 1; seed <= SEQUENCES; seed++) {
    const random = randoms(seed);
    const pick = (below: number) => Math.floor(random() * below);
    const session = new Session(pick, [12, 35, 60, 90, 150][pick(5)]!);
    await session.start();
    for (let n = 0; n < STEPS; n++) await session.step();
    const answer = await session.answer();
    const { summary } = await session.take();
    const said = /(\d+) %/.exec(answer)?.[1];
    const isNear = said === undefined || Math.abs(Number(said) / 100 - summary.onTimeShare) <= NEAR;
    if (/real time/.test(answer) !== isRealTime(summary) || !isNear)
      wrong.push(`${seed}: "${answer}", and the take was ${JSON.stringify(summary)}`);
    jest.clearAllTimers();
  }
  expect(wrong).toEqual([]);
});
