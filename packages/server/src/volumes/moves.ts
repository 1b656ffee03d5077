import path from "node:path";
import Joi from "joi";
import { JsonFile } from "../files/jsonFile";
import { Problem } from "../http/problem";
import type { Jobs } from "../jobs/jobs";
import type { Locations } from "./locations";
import { moveFrames, type MoveProgress } from "./move";

/** Frames on their way from one location to another, by id. */
interface PendingMove {
  readonly from: string;
  readonly to: string;
}

const schema = Joi.array<readonly PendingMove[]>().items(
  Joi.object({ from: Joi.string().required(), to: Joi.string().required() }),
);

// A drive that is back is found after so long.
const LOOK_EVERY_MS = 2000;

function words({ done, total, damaged }: MoveProgress): string {
  return `${done} of ${total} frames${damaged > 0 ? `; ${damaged} were damaged and are rendered again` : ""}`;
}

/** Moves between locations as jobs. One that a crash interrupted goes on at the next start. */
export class Moves {
  private readonly running = new Map<PendingMove, Promise<unknown>>();
  private isClosing = false;
  private timer: NodeJS.Timeout | undefined;

  private constructor(
    private readonly file: JsonFile<readonly PendingMove[]>,
    private readonly locations: Locations,
    private readonly jobs: Jobs,
  ) {}

  static async open(data: string, locations: Locations, jobs: Jobs): Promise<Moves> {
    const moves = new Moves(
      await JsonFile.open(path.join(data, "moves.json"), { format: "kinetocache-moves", version: 1 }, schema, []),
      locations,
      jobs,
    );
    for (const move of moves.file.value) if (moves.isReady(move)) moves.run(move);
    const look = () =>
      moves.goOn().catch((error: unknown) => console.warn(`Moves that wait were not gone on with: ${String(error)}`));
    moves.timer = setInterval(() => void look(), LOOK_EVERY_MS);
    moves.timer.unref();
    return moves;
  }

  /** @returns the id of the job @throws Problem 404, 409 when one of the two is in a move already, 503 */
  async start(from: string, to: string): Promise<string> {
    if (from === to) throw new Problem(400, "invalid", "to: another location than the present one is needed");
    this.locations.get(from);
    this.locations.get(to);
    this.checkIdle(from);
    this.checkIdle(to);
    const move = { from, to };
    await this.file.change((all) => [...all, move]);
    return this.run(move);
  }

  /** @throws Problem 409 when frames of a location are on their way */
  checkIdle(id: string): void {
    for (const { from, to } of this.running.keys())
      if (from === id || to === id)
        throw new Problem(409, "busy", "Frames of this location are being moved; wait for that to end, or cancel it");
  }

  /** Ends what is under way after the frame that is being moved; it goes on at the next start. */
  async close(): Promise<void> {
    this.isClosing = true;
    clearInterval(this.timer);
    this.jobs.cancelAll();
    await Promise.all(this.running.values());
  }

  private run(move: PendingMove): string {
    const { id, ended } = this.jobs.start("Moving frames to another location", async ({ gate, report }) => {
      const from = this.locations.get(move.from).volume;
      const to = this.locations.get(move.to).volume;
      const progress = await moveFrames(from, to, gate, (now) => report(now.done / Math.max(1, now.total), words(now)));
      return words(progress);
    });
    this.running.set(
      move,
      ended.then(async () => {
        this.running.delete(move);
        // One whose drive is not there goes on when it is back.
        if (this.isClosing || !this.isReady(move)) return;
        await this.file
          .change((all) => all.filter((one) => one !== move))
          // It begins once more at the next start, and finds what was moved moved.
          .catch((error: unknown) => console.warn(`A move that ended is not noted: ${String(error)}`));
      }),
    );
    return id;
  }

  /** Whether both locations can be used now; one that was taken off the list counts, so that its move ends. */
  private isReady({ from, to }: PendingMove): boolean {
    const open = new Set(this.locations.open().map(({ id }) => id));
    const known = new Set(this.locations.folders().map(({ id }) => id));
    return [from, to].every((id) => open.has(id) || !known.has(id));
  }

  /** Goes on with moves whose drives are back. */
  private async goOn(): Promise<void> {
    const waiting = this.file.value.filter((move) => !this.running.has(move));
    if (waiting.length === 0) return;
    // Looks for drives, too.
    await this.locations.list();
    for (const move of waiting) if (this.isReady(move) && !this.isClosing && !this.running.has(move)) this.run(move);
  }
}
