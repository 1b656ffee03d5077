import type { Stats } from "node:fs";
import { setTimeout as sleep } from "node:timers/promises";
import Joi from "joi";
import { lock } from "proper-lockfile";
import { Folder } from "../files/folder";
import type { Place } from "../files/place";
import { Problem } from "../http/problem";
import { hasEnded, ownIdentity, type ProcessIdentity } from "../machine/identity";

/** Another process has the volume. */
export class InUseError extends Problem {
  constructor(detail: string) {
    super(409, "in-use", detail);
  }
}

const LOCK = "owner.lock";
/** There for the instants in which somebody takes a volume: of two at once, one waits. */
const TAKING = "owner.taking";
/** Who has it. */
const OWNER = "owner";
const LARGEST_OWNER = 4096;
// The lease of a machine that is gone ends after this long; one that runs renews it well before.
const LEASE_MS = 15_000;
const RENEW_MS = 3000;
const TAKING_MS = 100;
const TAKING_TRIES = 50;

const schema = Joi.object<ProcessIdentity>({
  machine: Joi.string().required(),
  boot: Joi.string().required(),
  pid: Joi.number().integer().min(1).required(),
  startedTicks: Joi.number(),
});

/** The right of one process to a volume: a lease that it renews, so that it also holds on a share. */
export class Ownership {
  private release: (() => Promise<void>) | undefined;

  private constructor(
    private readonly place: Place,
    private readonly onLost: ((error: Error) => void) | undefined,
  ) {}

  /**
   * @param onLost called when somebody else has it, or it is gone with its drive
   * @throws InUseError when another process has it
   */
  static take(place: Place, onLost?: (error: Error) => void): Promise<Ownership> {
    return place.use(async (root) => {
      await beginTaking(root);
      try {
        markIn(root, LOCK);
        const before = ownerIn(root);
        // What has certainly ended need not be waited for.
        if (before && isOver(before, place.path) && markIn(root, LOCK)) root.removeFolder(LOCK);
        const ownership = new Ownership(place, onLost);
        ownership.release = await lock(place.path, {
          lockfilePath: LOCK,
          realpath: false,
          stale: LEASE_MS,
          update: RENEW_MS,
          fs: lockFiles(place),
          onCompromised: (error) => ownership.lose(error),
        });
        held.add(place.path);
        root.replace(OWNER, [JSON.stringify(ownIdentity())]);
        return ownership;
      } catch (error) {
        if ((error as NodeJS.ErrnoException).code !== "ELOCKED") throw error;
        throw new InUseError(inUseText(place.path, ownerIn(root)));
      } finally {
        root.removeFolder(TAKING);
      }
    });
  }

  /** Whether somebody else has it by now, or it is gone with its drive. */
  get isLost(): boolean {
    return this.release === undefined;
  }

  private lose(error: Error): void {
    this.release = undefined;
    held.delete(this.place.path);
    this.onLost?.(error);
  }

  async giveUp(): Promise<void> {
    const { release } = this;
    this.release = undefined;
    held.delete(this.place.path);
    if (!release) return;
    await this.place
      .use((root) => root.remove(OWNER))
      .catch((error: NodeJS.ErrnoException) => {
        // Gone with its drive.
        if (error.code !== "ENOENT") throw error;
      });
    await release();
  }
}

/** Volumes that this process has. */
const held = new Set<string>();

/** Whether whoever had a volume does not have it any more, as far as that is certain. */
function isOver(owner: ProcessIdentity, folder: string): boolean {
  const own = ownIdentity();
  const isOwn = owner.machine === own.machine && owner.boot === own.boot && owner.pid === own.pid;
  // A drive that was taken off while this process had it still says so when it is back.
  return isOwn ? !held.has(folder) : hasEnded(owner);
}

/** A mark, where it is there. @throws Error where something else has its name */
function markIn(root: Folder, mark: string): Stats | undefined {
  const stats = root.stat(mark);
  if (stats && !stats.isDirectory())
    throw new Error(`${root.path}/${mark} is a link or no folder; remove it, so that the cache can be opened`);
  return stats;
}

async function beginTaking(root: Folder): Promise<void> {
  for (let tries = 0; ; tries++) {
    try {
      root.makeFolder(TAKING);
      return;
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code !== "EEXIST") throw error;
      if (tries >= TAKING_TRIES) throw new InUseError(`The cache in ${root.path} is being opened by another process`);
      // Whoever made it ended in that instant.
      const mark = markIn(root, TAKING);
      if (mark && Date.now() - mark.mtimeMs > LEASE_MS) root.removeFolder(TAKING);
      await sleep(TAKING_MS);
    }
  }
}

function ownerIn(root: Folder): ProcessIdentity | undefined {
  try {
    const { error, value } = schema.validate(JSON.parse(root.read(OWNER, LARGEST_OWNER).toString()));
    return error ? undefined : value;
  } catch {
    // Of an earlier release, or just being written: then the lease alone tells.
    return undefined;
  }
}

function inUseText(folder: string, owner: ProcessIdentity | undefined): string {
  const who = !owner
    ? "another process"
    : owner.machine === ownIdentity().machine
      ? `process ${owner.pid}`
      : `another machine (process ${owner.pid} there)`;
  return `The cache in ${folder} is in use by ${who}; stop it, or choose another folder`;
}

type Done = (error: unknown, result?: unknown) => void;

/** The file system as far as the lock needs it: its folder is reached as everything else in a volume. */
function lockFiles(place: Place) {
  const within = (work: (root: Folder) => unknown, done: Done) => {
    place.use(work).then((result) => done(null, result), done);
  };
  return {
    mkdir: (_name: string, done: Done) => within((root) => root.makeFolder(LOCK), done),
    rmdir: (_name: string, done: Done) => within((root) => root.removeFolder(LOCK), done),
    stat: (_name: string, done: Done) => within((root) => root.stats(LOCK), done),
    utimes: (_name: string, _used: Date, written: Date, done: Done) =>
      within((root) => root.touched(LOCK, written.getTime()), done),
    /** At the end of the process, where nothing can be waited for. */
    rmdirSync() {
      const root = Folder.open(place.path);
      root.removeFolder(LOCK);
      root.close();
    },
  };
}
