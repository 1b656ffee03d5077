import { createHash } from "node:crypto";
import { realpath, type FileHandle } from "node:fs/promises";
import path from "node:path";
import {
  compileRules,
  explainPath,
  isSafePath,
  type Bytes,
  type GatheredFile,
  type GatheredState,
  type MissingFile,
  type Original,
  type Relinked,
  type RuleFile,
} from "@kinetocache/core";
import Joi from "joi";
import { isInside } from "../drives/drives";
import { Folder } from "../files/folder";
import { pathSchema } from "../http/paths";
import { Problem } from "../http/problem";
import type { PlaceRegistry } from "../places/placeRegistry";
import type { Digest } from "../work/digest";
import type { FoundFile } from "./desk";
import { mediaOf, withReferences, type MediaReference } from "./projectFiles";

/** What the contents of folders and files are read by, for somebody who waits or a job. */
export interface Reader {
  /** All files below a folder, which need not be registered. */
  readonly list: (folder: string) => Promise<readonly FoundFile[]>;
  /** Reads a file, which is then closed. @param to takes all that is read, and is closed as well */
  readonly digest: (from: FileHandle, to?: FileHandle) => Promise<Digest>;
  /** Waits, or throws when what it reads for was cancelled. */
  readonly gate: () => Promise<void>;
}

export interface GatheredManifest {
  readonly format: "kinetocache-gathered";
  readonly version: 1;
  readonly project: string;
  /** As ISO 8601. */
  readonly made: string;
  readonly files: readonly GatheredFile[];
  readonly missing: readonly MissingFile[];
}

const GATHERED_MANIFEST = "gathered.json";
const SUMS = "SHA256SUMS";
const PARTIAL = ".partial";
const LARGEST_MANIFEST = 256 * 2 ** 20;

const bytes = Joi.number().integer().min(0);
const sha256 = Joi.string().pattern(/^[0-9a-f]{64}$/);
const manifestSchema = Joi.object<GatheredManifest>({
  format: Joi.string().valid("kinetocache-gathered").required(),
  version: Joi.number().valid(1).required(),
  project: Joi.string().max(400).required(),
  made: Joi.string().isoDate().required(),
  files: Joi.array()
    .items(
      Joi.object({
        path: pathSchema.required(),
        from: Joi.string().max(4096).required(),
        reference: Joi.string().max(4096).required(),
        kind: Joi.string().valid("project", "media").required(),
        bytes: bytes.required(),
        sha256: sha256.required(),
      }),
    )
    .required(),
  missing: Joi.array()
    .items(Joi.object({ reference: Joi.string().max(4096).required(), bytes, sha256 }))
    .required(),
});

/**
 * What of a project cannot be made again. A project in the documented format lists its media; of any other, all source
 * media in the folder of its file is taken to be its own.
 * @param allowed folders that may be read; media elsewhere is told, and not looked at
 * @throws Problem 404 when the project file is gone
 */
export async function originalsOf(
  projectFile: string,
  ruleFile: RuleFile,
  allowed: readonly string[],
  { list }: Pick<Reader, "list">,
): Promise<Original[]> {
  const project = await projectOriginal(projectFile);
  const listed = mediaOf(projectFile);
  if (!listed) return [project, ...mediaAmong(await list(path.dirname(projectFile)), projectFile, ruleFile)];
  return [project, ...(await Promise.all(listed.map((one) => mediaOriginal(projectFile, one, allowed))))];
}

/** @throws Problem 404 when it is gone */
export async function projectOriginal(file: string): Promise<Original> {
  const size = await sizeOf(file);
  if (size === undefined) throw new Problem(404, "no-project", `There is no project file ${file}`);
  return { file, reference: path.basename(file), kind: "project", bytes: size, state: "there" };
}

async function mediaOriginal(
  projectFile: string,
  { path: reference, bytes: said = 0, sha256: sum }: MediaReference,
  allowed: readonly string[],
): Promise<Original> {
  const file = path.resolve(path.dirname(projectFile), reference);
  const isAllowed = (one: string) => allowed.some((folder) => isInside(one, folder));
  // What is not there has no way that links could lead elsewhere.
  const real = isAllowed(file) ? await realpath(file).catch(() => file) : file;
  const found = isAllowed(real) ? await sizeOf(real) : undefined;
  const state = !isAllowed(real) ? "outside" : found !== undefined ? "there" : "missing";
  const base = { file: real, reference, kind: "media" as const, bytes: found ?? said, state } as const;
  return sum === undefined ? base : { ...base, sha256: sum };
}

/** @returns undefined where there is no such file, or a link is on the way */
async function sizeOf(file: string): Promise<Bytes | undefined> {
  try {
    return await Folder.with(path.dirname(file), (folder) => {
      const stats = folder.stat(path.basename(file));
      return stats?.isFile() ? stats.size : undefined;
    });
  } catch {
    return undefined;
  }
}

function mediaAmong(files: readonly FoundFile[], projectFile: string, ruleFile: RuleFile): Original[] {
  const rules = compileRules(ruleFile);
  const folder = path.dirname(projectFile);
  return files.flatMap(({ path: reference, bytes: size }): Original[] =>
    explainPath(rules, reference).what === "media"
      ? [{ file: `${folder}/${reference}`, reference, kind: "media", bytes: size, state: "there" }]
      : [],
  );
}

export interface GatherWish {
  readonly project: string;
  readonly originals: readonly Original[];
  /** New or empty. */
  readonly target: string;
}

/**
 * Copies originals into one folder, with a manifest and a list of checksums. Each copy is read back and compared with
 * what was read; nothing at the source is touched.
 * @param reader reads the originals, and then their copies
 * @throws Problem 409 when a copy is not what it was copied from; what was copied so far stays, without a manifest
 */
export function gather({ project, originals, target }: GatherWish, reader: Reader): Promise<GatheredManifest> {
  return Folder.with(target, async (folder) => {
    const taken = new Set<string>([GATHERED_MANIFEST, SUMS]);
    const files: GatheredFile[] = [];
    for (const { file, reference, kind, state, sha256: said, to: wanted } of originals) {
      if (state !== "there") continue;
      await reader.gate();
      const below = freeName(wanted ?? placeOf(kind, file, reference), taken);
      const read = await copyIn(file, folder, below, reader);
      if (said !== undefined && said !== read.sha256)
        console.warn(`${file} is not what its project says that it is; it was gathered as it is`);
      files.push({ path: below, from: file, reference, kind, bytes: read.bytes, sha256: read.sha256 });
    }
    const missing = originals
      .filter(({ state }) => state !== "there")
      .map(({ reference, bytes: size, sha256: sum }) => ({
        reference,
        ...(size > 0 ? { bytes: size } : {}),
        ...(sum === undefined ? {} : { sha256: sum }),
      }));
    const manifest: GatheredManifest = {
      format: "kinetocache-gathered",
      version: 1,
      project,
      made: new Date().toISOString(),
      files: referTo(folder, files),
      missing,
    };
    writeManifest(folder, manifest);
    return manifest;
  });
}

/** Where a file goes: where its project looks for it, beside the copy of that; what lay elsewhere goes into `media`. */
function placeOf(kind: GatheredFile["kind"], file: string, reference: string): string {
  const name = path.basename(file);
  if (kind === "project") return name;
  const below = reference.replaceAll("\\", "/").replace(/^(\.\/)+/, "");
  return isSafePath(below) && !/^[a-z]:/i.test(below) ? below : `media/${name}`;
}

/**
 * Has the copy of a project in the documented format refer to the copies of its media, where they could not go to the
 * same place beside it. Projects of other formats stay as they are.
 * @returns the files, with what the project is now
 */
function referTo(folder: Folder, files: readonly GatheredFile[]): readonly GatheredFile[] {
  const project = files.find(({ kind }) => kind === "project");
  const moved = new Map(
    files.flatMap(({ kind, reference, path: below }) =>
      kind === "media" && below !== reference ? [[reference, below] as const] : [],
    ),
  );
  if (!project || moved.size === 0) return files;
  const text = withReferences(folder.read(project.path, LARGEST_MANIFEST).toString(), moved);
  if (text === undefined) return files;
  folder.replace(project.path, [text]);
  const sum = createHash("sha256").update(text).digest("hex");
  return files.map((one) => (one === project ? { ...one, bytes: Buffer.byteLength(text), sha256: sum } : one));
}

function writeManifest(folder: Folder, manifest: GatheredManifest): void {
  // What `sha256sum --check` reads; a name with a line break or a backslash is written as it asks for.
  const sums = manifest.files.map(({ path: below, sha256: sum }) => {
    const name = below.replaceAll("\\", "\\\\").replaceAll("\n", "\\n");
    return `${name === below ? "" : "\\"}${sum}  ${name}\n`;
  });
  folder.replace(SUMS, sums);
  folder.replace(GATHERED_MANIFEST, [`${JSON.stringify(manifest, null, 1)}\n`]);
}

/** A name that is not taken yet; taken afterwards. */
export function freeName(wanted: string, taken: Set<string>): string {
  const { dir, name, ext } = path.parse(wanted);
  let free = wanted;
  // Some drives do not tell small letters from capitals.
  for (let n = 2; taken.has(free.toLowerCase()); n++) free = path.join(dir, `${name} ${n}${ext}`);
  taken.add(free.toLowerCase());
  return free;
}

/**
 * Copies a file into a folder under another name, reads it back, and then gives it its own, in which nothing may be.
 * @param below path in the folder; folders on the way are made
 * @throws Problem 409 when the copy is not what was read
 */
async function copyIn(file: string, target: Folder, below: string, { digest }: Reader): Promise<Digest> {
  const names = below.split("/");
  const name = names.pop()!;
  const partial = name + PARTIAL;
  const folder = names.length > 0 ? target.makeWay(names) : target;
  try {
    folder.remove(partial);
    const read = await digest(await Folder.file(file), await folder.createFile(partial));
    const back = await digest(await folder.openFile(partial));
    if (!isSame(back, read))
      throw new Problem(
        409,
        "copy-differs",
        `The copy of ${file} is not what was read; the drive of ${target.path} may be failing`,
      );
    if (!folder.stat(name)) folder.moveFile(partial, folder, name);
    // It was copied before, by a job that did not come to its end.
    else if (!isSame(await digest(await folder.openFile(name)), read))
      throw new Problem(409, "in-the-way", `Something else is at ${target.path}/${below}; move it away first`);
    return read;
  } finally {
    removeIfThere(folder, partial);
    if (folder !== target) folder.close();
  }
}

function isSame(a: Digest, b: Digest): boolean {
  return a.sha256 === b.sha256 && a.bytes === b.bytes;
}

/** Half a copy is nothing that anybody wants. With its drive it is out of reach, and goes with the next one. */
function removeIfThere(folder: Folder, partial: string): void {
  try {
    folder.remove(partial);
  } catch (error) {
    console.warn(`${folder.path}/${partial} stays: ${(error as Error).message}`);
  }
}

/** @returns undefined where there is no such file, or a link is on the way */
async function digestIfThere(file: string, { digest, gate }: Reader): Promise<Digest | undefined> {
  try {
    return await digest(await Folder.file(file));
  } catch {
    await gate();
    return undefined;
  }
}

/** Bytes of a gathered folder, as its manifest says. @throws Problem as `readGathered` */
export function gatheredBytes(folder: string): Promise<Bytes> {
  return Folder.with(folder, (gathered) => manifestOf(gathered).files.reduce((sum, { bytes: own }) => sum + own, 0));
}

/**
 * Reads a gathered folder and compares every file with its checksum.
 * @throws Problem 404 when it holds no manifest, 400 when that cannot be read
 */
export async function readGathered(folder: string, reader: Reader): Promise<GatheredState> {
  return Folder.with(folder, (gathered) => readState(gathered, reader));
}

async function readState(folder: Folder, reader: Reader): Promise<GatheredState> {
  const manifest = manifestOf(folder);
  const files = [];
  for (const file of manifest.files) {
    const found = await digestIfThere(`${folder.path}/${file.path}`, reader);
    const state = !found
      ? ("gone" as const)
      : found.sha256 === file.sha256
        ? ("as it was" as const)
        : ("altered" as const);
    files.push({ ...file, state });
  }
  const project = files.find(({ kind, state }) => kind === "project" && state !== "gone");
  return {
    folder: folder.path,
    project: manifest.project,
    made: manifest.made,
    ...(project ? { projectFile: `${folder.path}/${project.path}` } : {}),
    files,
    missing: manifest.missing,
  };
}

function manifestOf(folder: Folder): GatheredManifest {
  let text: string;
  try {
    text = folder.read(GATHERED_MANIFEST, LARGEST_MANIFEST).toString();
  } catch {
    throw new Problem(
      404,
      "not-gathered",
      `${folder.path} holds no ${GATHERED_MANIFEST}: it was not gathered, or not to its end`,
    );
  }
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch (error) {
    throw new Problem(400, "invalid", `${GATHERED_MANIFEST} in ${folder.path}: ${(error as Error).message}`);
  }
  const checked = manifestSchema.validate(value);
  if (checked.error)
    throw new Problem(400, "invalid", `${GATHERED_MANIFEST} in ${folder.path}: ${checked.error.message}`);
  for (const { path: below } of checked.value.files)
    if (!isSafePath(below))
      throw new Problem(400, "invalid", `${GATHERED_MANIFEST} in ${folder.path}: "${below}" leads out of it`);
  return checked.value;
}

/**
 * Looks for what is missing or gone in another folder, by checksum where one is known and else by name, copies it into
 * the gathered folder and notes it in the manifest.
 * @param from folder that is looked through
 * @returns what was found
 */
export function relink(folder: string, from: string, reader: Reader): Promise<Relinked[]> {
  return Folder.with(folder, (gathered) => relinkIn(gathered, from, reader));
}

async function relinkIn(folder: Folder, from: string, reader: Reader): Promise<Relinked[]> {
  const state = await readState(folder, reader);
  const manifest = manifestOf(folder);
  const wanted: MissingFile[] = [...state.missing, ...state.files.filter((file) => file.state === "gone")];
  const candidates = (await reader.list(from)).map(({ path: below, bytes: size }) => ({
    file: `${from}/${below}`,
    bytes: size,
  }));
  const found: (Relinked & { readonly gathered: GatheredFile })[] = [];
  const taken = new Set([...manifest.files.map((file) => file.path.toLowerCase()), GATHERED_MANIFEST, SUMS]);
  for (const one of wanted) {
    const { reference } = one;
    const match = await matchOf(candidates, one, reader);
    if (!match) continue;
    const gone = manifest.files.find((file) => file.reference === reference);
    const below = gone?.path ?? freeName(placeOf("media", match.file, reference), taken);
    const read = await copyIn(match.file, folder, below, reader);
    const kind = gone?.kind ?? "media";
    const gathered = { path: below, from: match.file, reference, kind, bytes: read.bytes, sha256: read.sha256 };
    found.push({ reference, ...match, gathered });
  }
  const isFound = (reference: string) => found.some((one) => one.reference === reference);
  const kept = manifest.files.filter(({ reference }) => !isFound(reference));
  writeManifest(folder, {
    ...manifest,
    files: referTo(folder, [...kept, ...found.map(({ gathered }) => gathered)]),
    missing: manifest.missing.filter(({ reference }) => !isFound(reference)),
  });
  return found.map(({ reference, file, by }) => ({ reference, file, by }));
}

interface Candidate {
  readonly file: string;
  readonly bytes: Bytes;
}

async function matchOf(
  candidates: readonly Candidate[],
  { reference, bytes: size, sha256: sum }: MissingFile,
  reader: Reader,
): Promise<Omit<Relinked, "reference"> | undefined> {
  const name = reference.split(/[\\/]/).at(-1)!.toLowerCase();
  const isNamed = ({ file }: Candidate) => path.basename(file).toLowerCase() === name;
  // The ones of the same name come first, so that few have to be read.
  const sized = candidates
    .filter((one) => size === undefined || one.bytes === size)
    .sort((a, b) => Number(isNamed(b)) - Number(isNamed(a)));
  if (sum === undefined) {
    const named = sized.find(isNamed);
    return named && { file: named.file, by: "name" };
  }
  for (const { file } of size === undefined ? sized.filter(isNamed) : sized)
    if ((await digestIfThere(file, reader))?.sha256 === sum) return { file, by: "checksum" };
  return undefined;
}

/** A folder to gather into: a new one in a folder that is there, or an empty one. @throws Problem 400, 404, 409 */
export async function acceptTarget(target: string, registry: PlaceRegistry): Promise<string> {
  if (!path.isAbsolute(target)) throw new Problem(400, "invalid", "target: a full path is needed");
  const above = await realpath(path.dirname(target)).catch(() => {
    throw new Problem(404, "no-folder", `There is no folder ${path.dirname(target)}; make it first`);
  });
  const folder = path.resolve(above, path.basename(target));
  await registry.check(folder, "gathered", "target");
  await Folder.with(above, (parent) => {
    let made: Folder;
    try {
      made = parent.make(path.basename(folder), 0o777);
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code !== "ENOTDIR") throw error;
      throw new Problem(400, "invalid", `target: ${folder} is not a folder`);
    }
    const isFree = made.names().length === 0;
    made.close();
    if (!isFree) throw new Problem(409, "not-empty", `${folder} holds other files; choose a new or an empty folder`);
  });
  return folder;
}
