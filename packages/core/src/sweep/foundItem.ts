import type { Bytes } from "../machine";
import { folderPaths, type FileTree } from "./fileTree";
import { anyOf, type NamePattern, type NameTest, type PatternMatch } from "./pattern";
import type { CompiledRules, ItemKind, ItemRule } from "./ruleFile";

/** A file or a folder that belongs together, in a folder that other programs wrote. */
export interface FoundItem {
  /** Below the root, with "/" between its parts. */
  readonly path: string;
  readonly isFolder: boolean;
  readonly kind: ItemKind;
  readonly rule: string;
  readonly project?: string;
  readonly version?: number;
  /** Whether a manifest names the project, and the project file that it names is there. */
  readonly projectFileFound?: boolean | "away";
  /** Taken on the drive; of content that has names elsewhere too, its share. */
  readonly bytes: Bytes;
  /** Those of them whose content has other names too; they come back when all names are gone. */
  readonly links: readonly Link[];
  readonly files: number;
  /** Milliseconds since the epoch. */
  readonly usedMs: number;
  /** Of a file: when it was written and how long it is, by which a change is noticed. */
  readonly modifiedMs: number;
  readonly size: Bytes;
}

/** One name of content that has several. */
export interface Link {
  readonly inode: number;
  /** Names that it has in all. */
  readonly count: number;
  readonly bytes: Bytes;
}

/** What a name counts of content that has several: all of them together count it once. */
export function linkShare({ bytes, count }: Pick<Link, "bytes" | "count">): Bytes {
  return Math.round(bytes / count);
}

/** What a rule would take but must not. */
export interface Blocked {
  readonly path: string;
  readonly reason: string;
}

export interface Found {
  readonly items: FoundItem[];
  readonly blocked: Blocked[];
}

type Draft = { -readonly [K in keyof FoundItem]: FoundItem[K] } & {
  links: Link[];
  blocked?: string;
  minAgeMs: number;
  /** When a folder of it was changed last. */
  changedMs: number;
};

interface Here {
  /** Item that all of a folder belongs to. */
  readonly draft?: Draft;
  /** Source media, with all that is in it. */
  readonly isMedia?: boolean;
  readonly owner?: { readonly project: string; readonly projectFileFound?: boolean | "away" };
}

const DAY_MS = 24 * 3600 * 1000;

/** Rules that can apply in a folder, and one expression that tells at once whether any does. */
interface Names {
  readonly rules: readonly { readonly rule: ItemRule; readonly pattern: NamePattern }[];
  readonly any?: NameTest;
}

function namesIn(rules: CompiledRules, folder: string, item: ItemRule["item"]): Names {
  const found = rules.items.flatMap((rule) => {
    const pattern = rule.item === item ? rule.compiled.within(folder) : undefined;
    return pattern ? [{ rule, pattern }] : [];
  });
  return { rules: found, any: anyOf(found.map(({ pattern }) => pattern)) };
}

function firstMatch(
  { rules, any }: Names,
  name: string,
  accepts: (rule: ItemRule) => boolean,
): { readonly rule: ItemRule; readonly match: PatternMatch } | undefined {
  if (!any?.(name)) return undefined;
  for (const { rule, pattern } of rules) {
    const match = pattern.match(name);
    if (match && accepts(rule)) return { rule, match };
  }
  return undefined;
}

/**
 * The items among the files below a root. Source media and project files are never among them, and no folder that holds
 * any, or something that was not looked into, is.
 */
export function findItems(tree: FileTree, rules: CompiledRules, nowMs: number): Found {
  const { folders, files } = tree;
  const paths = folderPaths(tree);
  const here: Here[] = [];
  const drafts: Draft[] = [];
  // By folder: the rules for folders in it, which are asked for each of them.
  const folderNames: (Names | undefined)[] = [];
  const mediaNames: (NameTest | undefined)[] = [];
  for (const [folder, path] of paths.entries()) {
    const above = folder === 0 ? {} : here[folders.parent[folder]!]!;
    const now = folder === 0 ? {} : enter(folder, path, above);
    here.push({ ...now, owner: tree.owners.get(folder) ?? above.owner });
    look(folder, path);
  }
  // That folders were changed says nothing of when files were used; where there are none, nothing else does.
  for (const draft of drafts) if (draft.files === 0) draft.usedMs = draft.changedMs;
  return {
    items: drafts.filter(
      ({ blocked, isFolder, minAgeMs, usedMs }) => blocked === undefined && (!isFolder || nowMs - usedMs >= minAgeMs),
    ),
    blocked: drafts.flatMap(({ path, blocked }) => (blocked === undefined ? [] : [{ path, reason: blocked }])),
  };

  function enter(folder: number, path: string, above: Here): Here {
    const { draft } = above;
    const parent = folders.parent[folder]!;
    if (!(parent in mediaNames)) mediaNames[parent] = rules.mediaIn(paths[parent]!);
    if (above.isMedia || mediaNames[parent]?.(folders.name[folder]!)) {
      if (draft) draft.blocked ??= `source media is in it: ${path}`;
      return { isMedia: true, draft };
    }
    if (draft) return { draft };
    const names = (folderNames[parent] ??= namesIn(rules, paths[parent]!, "folder"));
    const found = firstMatch(names, folders.name[folder]!, () => true);
    return found ? { draft: begin(path, true, found, above.owner) } : {};
  }

  function begin(
    path: string,
    isFolder: boolean,
    { rule, match }: { readonly rule: ItemRule; readonly match: PatternMatch },
    owner: Here["owner"],
  ): Draft {
    const draft: Draft = {
      path,
      isFolder,
      kind: rule.kind,
      rule: rule.name,
      ...match,
      ...owner,
      bytes: 0,
      links: [],
      files: 0,
      usedMs: 0,
      modifiedMs: 0,
      size: 0,
      minAgeMs: (rule.olderThanDays ?? 0) * DAY_MS,
      changedMs: 0,
    };
    drafts.push(draft);
    return draft;
  }

  function look(folder: number, path: string): void {
    const { draft, isMedia, owner } = here[folder]!;
    const notRead = folders.notRead[folder];
    if (draft && notRead) draft.blocked ??= `${path}: ${notRead}`;
    if (draft) {
      // What a manifest inside the item says holds for all of it.
      Object.assign(draft, tree.owners.get(folder));
      draft.changedMs = Math.max(draft.changedMs, folders.changedMs[folder]!);
    }
    if (isMedia) return;
    const names = draft ? undefined : namesIn(rules, path, "file");
    const isProtected = rules.protectedIn(path);
    const first = folders.firstFile[folder]!;
    for (let file = first; file < first + folders.files[folder]!; file++) {
      // Most files lie in a folder that is an item as a whole.
      if (draft && !isProtected?.mayEndWith(files.name.lastCode(file))) {
        add(draft, file);
        continue;
      }
      const name = files.name.at(file);
      if (isProtected?.(name)) {
        if (draft) draft.blocked ??= `a project file or source media is in it: ${path}/${name}`;
        continue;
      }
      if (draft) add(draft, file);
      else {
        const isOld = (rule: ItemRule) => nowMs - files.usedMs.at(file) >= (rule.olderThanDays ?? 0) * DAY_MS;
        const found = firstMatch(names!, name, isOld);
        if (found) add(begin(path === "" ? name : `${path}/${name}`, false, found, owner), file);
      }
    }
  }

  function add(draft: Draft, file: number): void {
    const bytes = files.allocated.at(file);
    const link = tree.links.get(file);
    if (link) draft.links.push({ ...link, bytes });
    draft.bytes += link ? linkShare({ ...link, bytes }) : bytes;
    draft.files++;
    draft.usedMs = Math.max(draft.usedMs, files.usedMs.at(file));
    draft.modifiedMs = Math.max(draft.modifiedMs, files.modifiedMs.at(file));
    draft.size += files.size.at(file);
  }
}
