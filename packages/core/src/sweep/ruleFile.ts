import { anyOf, compilePattern, type NameTest, type Pattern } from "./pattern";

/** What an item is. */
export const ITEM_KINDS = ["frames", "baked", "proxies", "import indexes", "backups", "temporary", "logs"] as const;
export type ItemKind = (typeof ITEM_KINDS)[number];

/** How items of a kind are told from other files. */
export interface ItemRule {
  readonly name: string;
  readonly kind: ItemKind;
  /** Whether a whole folder is one item, or each file by itself. */
  readonly item: "folder" | "file";
  readonly pattern: string;
  /** Younger ones are no items: a file that is still being written is not temporary any more tomorrow. */
  readonly olderThanDays?: number;
}

/** How what other programs left in a folder is read from its paths. */
export interface RuleFile {
  readonly format: "kinetocache-rules";
  readonly version: 1;
  /** The first that matches counts. */
  readonly items: readonly ItemRule[];
  /** File names of project files. They are never items. */
  readonly projectFiles: readonly string[];
  /** Source media. It is never an item, nor is anything in a folder that matches. */
  readonly media: readonly string[];
}

const FRAME_FOLDERS = "{frames,render cache,render-cache,cache,caches,disk cache,previews}";
const PROXY_FOLDERS = "{proxies,proxy,intermediates}";
const BAKE_FOLDERS = "{baked,pre-renders,prerenders}";
const INDEX_FOLDERS = "{thumbnails,thumbs,waveforms,peaks,import indexes}";
const BACKUP_FOLDERS = "{backups,backup,autosave,autosaves}";

function inProject(name: string, kind: ItemKind, folders: string): ItemRule[] {
  return [
    { name: `${name} of a version`, kind, item: "folder", pattern: `**/{project} v{version}/${folders}` },
    { name, kind, item: "folder", pattern: `**/{project}/${folders}` },
    { name: `${name} without a project`, kind, item: "folder", pattern: folders },
  ];
}

/** What ships: folder names, extensions and ages that many programs share. */
export const DEFAULT_RULE_FILE: RuleFile = {
  format: "kinetocache-rules",
  version: 1,
  items: [
    ...inProject("Frames", "frames", FRAME_FOLDERS),
    ...inProject("Baked frames", "baked", BAKE_FOLDERS),
    ...inProject("Proxies", "proxies", PROXY_FOLDERS),
    ...inProject("Import indexes", "import indexes", INDEX_FOLDERS),
    { name: "Backups", kind: "backups", item: "file", pattern: `**/{project}/${BACKUP_FOLDERS}/*` },
    { name: "Backup copies", kind: "backups", item: "file", pattern: "**/{project}/*.bak" },
    {
      name: "Temporary folders",
      kind: "temporary",
      item: "file",
      pattern: "**/{tmp,temp,scratch}/**",
      olderThanDays: 1,
    },
    { name: "Temporary files", kind: "temporary", item: "file", pattern: "**/{*.tmp,*.temp,~*}", olderThanDays: 1 },
    { name: "Logs", kind: "logs", item: "file", pattern: "**/*.log" },
    { name: "Unclaimed caches", kind: "frames", item: "folder", pattern: "**/{cache_*,cache-*,*.cache}" },
  ],
  projectFiles: ["*.project.json", "*.project", "*.proj", "*.composition.json"],
  media: ["**/{footage,media,sources,originals,camera,audio,music,stills,artwork,gathered}"],
};

/** A rule file with its patterns compiled. */
export interface CompiledRules {
  readonly items: readonly (ItemRule & { readonly compiled: Pattern })[];
  isProjectFile(name: string): boolean;
  isMedia(path: string): boolean;
  /** Tells the files in a folder that are project files or source media. */
  protectedIn(folder: string): NameTest | undefined;
  /** Tells the folders in a folder that are source media. */
  mediaIn(folder: string): NameTest | undefined;
}

export function compileRules(file: RuleFile): CompiledRules {
  const projectFiles = file.projectFiles.map(compilePattern);
  const media = file.media.map(compilePattern);
  const named = projectFiles.map((pattern) => pattern.within("")!);
  const mediaWithin = (folder: string) => media.flatMap((pattern) => pattern.within(folder) ?? []);
  return {
    items: file.items.map((rule) => ({ ...rule, compiled: compilePattern(rule.pattern) })),
    isProjectFile: (name) => projectFiles.some((pattern) => pattern.match(name) !== undefined),
    isMedia: (path) => media.some((pattern) => pattern.match(path) !== undefined),
    protectedIn: (folder) => anyOf([...named, ...mediaWithin(folder)]),
    mediaIn: (folder) => anyOf(mediaWithin(folder)),
  };
}

/** What a path would be, by a rule file. */
export interface PathVerdict {
  readonly path: string;
  readonly what: "item" | "media" | "project file" | "nothing";
  readonly rule?: string;
  readonly kind?: ItemKind;
  /** Path of the item that it belongs to. */
  readonly item?: string;
  readonly project?: string;
  readonly version?: number;
}

/** What a path would be, and which rule tells; for trying a rule file out. */
export function explainPath(rules: CompiledRules, path: string): PathVerdict {
  const parts = path.split("/");
  const above = parts.map((_, index) => parts.slice(0, index + 1).join("/"));
  if (above.some((one) => rules.isMedia(one))) return { path, what: "media" };
  if (rules.isProjectFile(parts.at(-1)!)) return { path, what: "project file" };
  for (const item of above) {
    for (const { compiled, name, kind, item: what } of rules.items) {
      if (what === "file" && item !== path) continue;
      const match = compiled.match(item);
      if (match) return { path, what: "item", rule: name, kind, ...match, item };
    }
  }
  return { path, what: "nothing" };
}

/** A project's name without what is written differently from place to place: case, spaces, hyphens, underscores. */
export function projectKey(name: string): string {
  return name.toLowerCase().replace(/[\s_-]+/g, "");
}
