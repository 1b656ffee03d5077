import path from "node:path";
import { filesOf, projectOfFile, type Bytes, type CompiledRules } from "@kinetocache/core";
import Joi from "joi";
import { Folder } from "../files/folder";
import { scanAtOnce } from "./scan";

/** A project file of whatever program. */
export interface ProjectFile {
  /** Full path. */
  readonly file: string;
  readonly name: string;
  readonly owner: string;
  readonly version?: number;
  readonly bytes: Bytes;
}

/** Project files below some folders, and the folders that cannot be read now. */
export interface ProjectFiles {
  readonly files: readonly ProjectFile[];
  readonly unreadable: readonly string[];
}

/** Looks for project files by their names. */
export function findProjectFiles(folders: readonly string[], rules: CompiledRules): ProjectFiles {
  const files: ProjectFile[] = [];
  const unreadable: string[] = [];
  for (const folder of folders) {
    try {
      for (const { path: below, name, size } of filesOf(scanAtOnce(folder)))
        if (rules.isProjectFile(name)) files.push({ file: `${folder}/${below}`, ...projectOfFile(name), bytes: size });
    } catch {
      // Said on screen: of what is in there nothing is known, so nothing is orphaned for its sake.
      unreadable.push(folder);
    }
  }
  return { files, unreadable };
}

/** Media that a project refers to, in the documented format; other formats are not read. */
export interface MediaReference {
  /** As it stands in the project file. */
  readonly path: string;
  readonly bytes?: Bytes;
  readonly sha256?: string;
}

const projectSchema = Joi.object<{ format: string; version: number; name: string; media: MediaReference[] }>({
  format: Joi.string().valid("kinetocache-project").required(),
  version: Joi.number().valid(1).required(),
  name: Joi.string().max(200).required(),
  media: Joi.array()
    .items(
      Joi.object({
        path: Joi.string().min(1).max(4096).required(),
        bytes: Joi.number().integer().min(0),
        sha256: Joi.string().pattern(/^[0-9a-f]{64}$/),
      }),
    )
    .required(),
}).unknown();

const LARGEST_PROJECT: Bytes = 64 * 2 ** 20;

/** @returns undefined where the file is of another format */
export function mediaOf(file: string): readonly MediaReference[] | undefined {
  const folder = Folder.open(path.dirname(file));
  let text: string;
  try {
    text = folder.read(path.basename(file), LARGEST_PROJECT).toString();
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === "EFBIG") return undefined;
    throw error;
  } finally {
    folder.close();
  }
  return projectIn(text)?.media;
}

function projectIn(text: string): { readonly media: readonly MediaReference[] } | undefined {
  if (!text.trimStart().startsWith("{")) return undefined;
  try {
    const { error, value } = projectSchema.validate(JSON.parse(text));
    return error ? undefined : value;
  } catch {
    return undefined;
  }
}

/**
 * A project in the documented format that refers to its media elsewhere.
 * @param moved where each is now, by how it was referred to @returns undefined where the text is of another format
 */
export function withReferences(text: string, moved: ReadonlyMap<string, string>): string | undefined {
  const project = projectIn(text);
  if (!project) return undefined;
  const media = project.media.map((one) => ({ ...one, path: moved.get(one.path) ?? one.path }));
  return `${JSON.stringify({ ...project, media }, null, 1)}\n`;
}
