import type { Milliseconds } from "../composition";
import { RECENT_MS, type Classified, type OwnerMark, type SweepItem } from "./item";
import type { FoundItem } from "./foundItem";
import { projectKey } from "./ruleFile";

/** What a user says of an item, of all in a folder, or of all of a project. */
export type SweepMark =
  | { readonly scope: "project"; readonly owner: string; readonly mark: OwnerMark }
  | { readonly scope: "item" | "folder"; readonly place: string; readonly path: string; readonly mark: "kept" };

/** What a mark is of: of each at most one stands. */
export function targetOfMark(mark: SweepMark): string {
  return mark.scope === "project" ? `project ${mark.owner}` : `${mark.scope} ${mark.place}/${mark.path}`;
}

/** What is known of projects that other programs work on. */
export interface ProjectKnowledge {
  /** Keys of the projects whose files were found, without versions; undefined where the user named no folder for them. */
  readonly projects?: ReadonlySet<string>;
  /** The highest version that a project file has, by the project's key. */
  readonly versions: ReadonlyMap<string, number>;
  /** Folders of projects that cannot be read now: of what is missing nothing can be said then. */
  readonly unreadable: readonly string[];
  readonly marks: readonly SweepMark[];
  /** How this machine renders and writes frames; undefined while it rendered none. */
  readonly pace?: RebuildPace;
}

/** What rendering frames and writing them takes on this machine, as it was measured of own ones. */
export interface RebuildPace {
  /** Bytes a second. */
  readonly rate: number;
  readonly frameMs: Milliseconds;
}

/**
 * States of what other programs left in one folder, the first that applies: kept, in use, superseded, delivered,
 * orphaned, ownerless, idle.
 */
export function classifyFound(
  place: string,
  items: readonly FoundItem[],
  knowledge: ProjectKnowledge,
  nowMs: number,
): SweepItem[] {
  const versions = new Map(knowledge.versions);
  const backups = new Map<string, FoundItem>();
  for (const item of items) {
    const { owner = "", version } = ownerOf(item);
    if (version !== undefined) versions.set(owner, Math.max(version, versions.get(owner) ?? 0));
    const newest = backups.get(owner);
    if (item.kind === "backups" && (!newest || item.usedMs > newest.usedMs)) backups.set(owner, item);
  }
  const projectMarks = new Map<string, OwnerMark>();
  const keptPaths: { readonly path: string; readonly isFolder: boolean }[] = [];
  for (const mark of knowledge.marks) {
    // Where earlier releases noted two of one project, it is kept.
    if (mark.scope === "project") {
      if (projectMarks.get(mark.owner) !== "kept") projectMarks.set(mark.owner, mark.mark);
    } else if (mark.place === place) keptPaths.push({ path: mark.path, isFolder: mark.scope === "folder" });
  }
  return items.map((item): SweepItem => {
    const { owner, version } = ownerOf(item);
    const classified = stateOf(item, owner, version);
    const { kind, bytes, files, usedMs } = item;
    const named = item.version === undefined ? (item.project ?? "") : `${item.project ?? ""} v${item.version}`;
    return {
      place,
      id: item.path,
      kind,
      ...(owner === undefined ? {} : { owner }),
      project: named.trim(),
      ...classified,
      bytes,
      files,
      usedMs,
      ...rebuildOf(item, classified, knowledge.pace),
    };
  });

  function stateOf(item: FoundItem, owner: string | undefined, version: number | undefined): Classified {
    const kept = keptPaths.find(({ path, isFolder }) =>
      isFolder ? isBelow(item.path, path) || isBelow(path, item.path) : path === item.path,
    );
    if (kept)
      return { state: "kept", reason: kept.isFolder ? `you keep the folder ${kept.path || "itself"}` : "you keep it" };
    const mark = owner === undefined ? undefined : projectMarks.get(owner);
    if (mark === "kept") return { state: "kept", reason: `you keep all of ${item.project!}` };
    if (backups.get(owner ?? "") === item)
      return { state: "kept", reason: `the newest backup${owner === undefined ? "" : ` of ${item.project!}`}` };
    if (nowMs - item.usedMs < RECENT_MS) return { state: "in use", reason: "used in the last 10 minutes" };
    const newest = owner === undefined ? undefined : versions.get(owner);
    if (version !== undefined && newest !== undefined && version < newest)
      return { state: "superseded", reason: `superseded by v${newest}` };
    if (mark === "delivered") return { state: "delivered", reason: `${item.project!} is delivered` };
    if (owner === undefined) return { state: "ownerless", reason: "nothing says whose it is" };
    return orphanState(item, owner);
  }

  function orphanState(item: FoundItem, owner: string): Classified {
    if (item.projectFileFound === true) return { state: "idle", reason: `${item.project!} is there` };
    if (item.projectFileFound === false) return { state: "orphaned", reason: "the project file that it names is gone" };
    const { projects, unreadable } = knowledge;
    if (projects?.has(owner)) return { state: "idle", reason: `${item.project!} is there` };
    if (item.projectFileFound === "away")
      return {
        state: "idle",
        reason: "the folder of the project file that it names is not there: its drive may be off",
      };
    if (unreadable.length > 0)
      return { state: "idle", reason: `${unreadable[0]!} cannot be read: its project may be there` };
    if (!projects) return { state: "idle", reason: "you did not say where projects live" };
    return { state: "orphaned", reason: "its project file is gone" };
  }
}

/** Whether a path is a folder or lies in it. */
export function isBelow(path: string, folder: string): boolean {
  return folder === "" || path === folder || path.startsWith(`${folder}/`);
}

function rebuildOf(
  { kind, bytes, files }: FoundItem,
  { state }: Classified,
  pace: RebuildPace | undefined,
): { rebuildMs?: Milliseconds; isEstimate?: boolean } {
  if (kind === "temporary" || kind === "logs") return { rebuildMs: 0 };
  if (kind === "backups" || state === "orphaned" || state === "ownerless" || pace === undefined) return {};
  // A small frame is rendered no faster for being small on the drive.
  const byFrames = kind === "frames" || kind === "baked" ? files * pace.frameMs : 0;
  return { rebuildMs: Math.max((bytes * 1000) / pace.rate, byFrames), isEstimate: true };
}

/** Whose an item is, by one rule for all kinds: a version at the end of a project's name is no part of it. */
function ownerOf({ project, version }: FoundItem): { readonly owner?: string; readonly version?: number } {
  if (project === undefined) return {};
  if (version !== undefined) return { owner: projectKey(project), version };
  const { owner, version: named } = versioned(project);
  return named === undefined ? { owner } : { owner, version: named };
}

function versioned(name: string): { readonly owner: string; readonly version?: number } {
  const match = /^(.+?)[\s_-]+v(\d{1,9})$/i.exec(name);
  return match ? { owner: projectKey(match[1]!), version: Number(match[2]) } : { owner: projectKey(name) };
}

/** The project and version that a project file is of, by its name. */
export function projectOfFile(fileName: string): {
  readonly name: string;
  readonly owner: string;
  readonly version?: number;
} {
  const name = fileName.replace(/(\.project\.json|\.composition\.json|\.[^.]*)$/i, "");
  return { name, ...versioned(name) };
}
