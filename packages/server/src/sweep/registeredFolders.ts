import { access, constants, readdir, realpath } from "node:fs/promises";
import { homedir } from "node:os";
import path from "node:path";
import {
  fillForecast,
  isSampleDue,
  withSample,
  type FillForecast,
  type FillSample,
  type SweepFolder,
} from "@kinetocache/core";
import Joi from "joi";
import { isInside } from "../drives/drives";
import { JsonFile } from "../files/jsonFile";
import { Problem } from "../http/problem";

interface Registered extends SweepFolder {
  /** How much was in it at each scan, oldest first. */
  readonly growth: readonly FillSample[];
}

const schema = Joi.array<readonly Registered[]>().items(
  Joi.object({
    id: Joi.string()
      .pattern(/^folder-[0-9a-f-]{1,40}$/)
      .required(),
    folder: Joi.string().required(),
    projects: Joi.array().items(Joi.string()).required(),
    growth: Joi.array()
      .items(Joi.object({ atMs: Joi.number().required(), bytes: Joi.number().min(0).required() }))
      .required(),
  }),
);

// Holding needs some of a path's 4,096 bytes for itself.
const LONGEST_ROOT_BYTES = 3800;

/** Folders of other programs that the user registered. */
export class RegisteredFolders {
  private constructor(
    private readonly file: JsonFile<readonly Registered[]>,
    private readonly data: string,
    private readonly drivesFolder: string,
    private readonly others: () => readonly string[],
  ) {}

  /**
   * @param data folder of the server's data, in which only the simulated drives may be swept
   * @param others folders that are registered for something else
   */
  static async open(data: string, others: () => readonly string[]): Promise<RegisteredFolders> {
    const file = await JsonFile.open(path.join(data, "sweep-folders.json"), schema, []);
    const real = await realpath(data);
    return new RegisteredFolders(file, real, path.join(real, "drives"), others);
  }

  get all(): readonly SweepFolder[] {
    return this.file.value;
  }

  /** @throws Problem 404 */
  get(id: string): SweepFolder {
    const found = this.all.find((one) => one.id === id);
    if (!found) throw new Problem(404, "no-folder", `There is no registered folder ${id}`);
    return found;
  }

  /**
   * @param projects folders in which project files are looked for; they are only read
   * @throws Problem 400 when a folder does not fit, 403 when it may not be used, 404 when there is none, 409 when it
   *   overlaps another one
   */
  async register(folder: string, projects: readonly string[]): Promise<SweepFolder> {
    const real = await this.accept(folder, "folder");
    if (Buffer.byteLength(real) > LONGEST_ROOT_BYTES)
      throw new Problem(400, "invalid", `folder: its path is longer than ${LONGEST_ROOT_BYTES} bytes`);
    for (const other of [...this.all.map((one) => one.folder), ...this.others()])
      if (isInside(real, other) || isInside(other, real))
        throw new Problem(
          409,
          "overlaps",
          `${real} overlaps ${other}, which is registered already; choose a folder beside it`,
        );
    if (
      isInside(this.data, real) ||
      (isInside(real, this.data) && (!isInside(real, this.drivesFolder) || real === this.drivesFolder))
    )
      throw new Problem(409, "overlaps", `${real} overlaps the application's own data in ${this.data}`);
    await access(real, constants.R_OK | constants.W_OK).catch(() => {
      throw new Problem(403, "not-writable", `${real} may not be written, so nothing in it could be moved`);
    });
    const place: Registered = {
      id: `folder-${crypto.randomUUID()}`,
      folder: real,
      projects: await this.acceptProjects(projects),
      growth: [],
    };
    await this.file.replace([...this.file.value, place]);
    return place;
  }

  /** Says where projects live. @throws Problem as `register` */
  async setProjects(id: string, projects: readonly string[]): Promise<void> {
    this.get(id);
    const accepted = await this.acceptProjects(projects);
    await this.file.replace(this.file.value.map((one) => (one.id === id ? { ...one, projects: accepted } : one)));
  }

  /** Takes a folder off the list; its files stay. @throws Problem 404 */
  async unregister(id: string): Promise<void> {
    this.get(id);
    await this.file.replace(this.file.value.filter((one) => one.id !== id));
  }

  async noteBytes(id: string, bytes: number): Promise<void> {
    const sample = { atMs: Date.now(), bytes };
    const note = (one: Registered) =>
      one.id === id && isSampleDue(one.growth, sample.atMs) ? { ...one, growth: withSample(one.growth, sample) } : one;
    await this.file.replace(this.file.value.map(note));
  }

  /** When the drive is full at the rate at which the folder grew lately. */
  forecast(id: string, freeBytes: number): FillForecast | undefined {
    const growth = this.file.value.find((one) => one.id === id)?.growth ?? [];
    return fillForecast(growth, freeBytes, Date.now());
  }

  private acceptProjects(projects: readonly string[]): Promise<string[]> {
    return Promise.all([...new Set(projects)].map((one) => this.accept(one, "projects")));
  }

  private async accept(folder: string, what: string): Promise<string> {
    if (!path.isAbsolute(folder)) throw new Problem(400, "invalid", `${what}: "${folder}" is no full path`);
    const real = await realpath(folder).catch(() => {
      throw new Problem(404, "no-folder", `${what}: there is no folder ${folder}`);
    });
    if (path.dirname(real) === real || real === (await realpath(homedir()).catch(() => homedir())))
      throw new Problem(400, "invalid", `${what}: ${real} is too much; choose a folder inside it`);
    await readdir(real).catch((error: NodeJS.ErrnoException) => {
      if (error.code === "ENOTDIR") throw new Problem(400, "invalid", `${what}: ${real} is not a folder`);
      throw new Problem(403, "not-readable", `${what}: ${real} may not be read`);
    });
    return real;
  }
}
