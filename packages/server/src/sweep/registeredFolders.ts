import { access, constants } from "node:fs/promises";
import path from "node:path";
import {
  fillForecast,
  isSafePath,
  isSampleDue,
  withSample,
  type FillForecast,
  type FillSample,
  type SweepFolder,
} from "@kinetocache/core";
import Joi from "joi";
import { Folder } from "../files/folder";
import { JsonFile } from "../files/jsonFile";
import { Problem } from "../http/problem";
import type { PlaceRegistry } from "../places/placeRegistry";
import { statBelow } from "./heldFolders";

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
    private readonly registry: PlaceRegistry,
  ) {
    registry.add(() =>
      this.all.flatMap(({ folder, projects }) => [
        { folder, use: "swept" as const },
        ...projects.map((one) => ({ folder: one, use: "projects" as const })),
      ]),
    );
  }

  /** @param data folder of the server's data */
  static async open(data: string, registry: PlaceRegistry): Promise<RegisteredFolders> {
    const format = { format: "kinetocache-sweep-folders", version: 1 };
    return new RegisteredFolders(
      await JsonFile.open(path.join(data, "sweep-folders.json"), format, schema, []),
      registry,
    );
  }

  /** Whether no folder was ever registered. */
  get isNew(): boolean {
    return this.file.isNew;
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

  /** @throws Problem 400 when a path leads out of a folder, 404 when there is nothing at it */
  async checkInside(id: string, below: string): Promise<void> {
    const { folder } = this.get(id);
    if (below !== "" && !isSafePath(below))
      throw new Problem(
        400,
        "invalid",
        `path: "${below}" leads out of ${folder}; name what is in it, such as shows/cache`,
      );
    const isThere = await Folder.with(folder, (root) => below === "" || statBelow(root, below) !== undefined).catch(
      (error: NodeJS.ErrnoException) => {
        if (error.code === "ENOENT" || error.code === "ENOTDIR") return false;
        throw error;
      },
    );
    if (!isThere) throw new Problem(404, "no-folder", `There is nothing at ${below} in ${folder}`);
  }

  /**
   * @param projects folders in which project files are looked for; they are only read
   * @throws Problem 400 when a folder does not fit, 403 when it may not be used, 404 when there is none, 409 when it
   *   overlaps another one
   */
  register(folder: string, projects: readonly string[]): Promise<SweepFolder> {
    return this.registry.inTurn(async () => {
      const real = await this.registry.accept(folder, "swept", "folder");
      if (Buffer.byteLength(real) > LONGEST_ROOT_BYTES)
        throw new Problem(400, "invalid", `folder: its path is longer than ${LONGEST_ROOT_BYTES} bytes`);
      await access(real, constants.R_OK | constants.W_OK).catch(() => {
        throw new Problem(403, "not-writable", `${real} may not be written, so nothing in it could be moved`);
      });
      const place: Registered = {
        id: `folder-${crypto.randomUUID()}`,
        folder: real,
        projects: await this.acceptProjects(projects),
        growth: [],
      };
      await this.file.change((all) => [...all, place]);
      return place;
    });
  }

  /** Says where projects live. @throws Problem as `register` */
  setProjects(id: string, projects: readonly string[]): Promise<void> {
    return this.registry.inTurn(async () => {
      this.get(id);
      const accepted = await this.acceptProjects(projects);
      await this.file.change((all) => all.map((one) => (one.id === id ? { ...one, projects: accepted } : one)));
    });
  }

  /** Takes a folder off the list; its files stay. @throws Problem 404 */
  async unregister(id: string): Promise<void> {
    this.get(id);
    await this.file.change((all) => all.filter((one) => one.id !== id));
  }

  async noteBytes(id: string, bytes: number): Promise<void> {
    const sample = { atMs: Date.now(), bytes };
    const note = (one: Registered) =>
      one.id === id && isSampleDue(one.growth, sample.atMs) ? { ...one, growth: withSample(one.growth, sample) } : one;
    await this.file.change((all) => all.map(note));
  }

  /** When the drive is full at the rate at which the folder grew lately. */
  forecast(id: string, freeBytes: number): FillForecast | undefined {
    const growth = this.file.value.find((one) => one.id === id)?.growth ?? [];
    return fillForecast(growth, freeBytes, Date.now());
  }

  private acceptProjects(projects: readonly string[]): Promise<string[]> {
    return Promise.all([...new Set(projects)].map((one) => this.registry.accept(one, "projects", "projects")));
  }
}
