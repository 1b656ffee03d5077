import fc from "fast-check";
import { emptyTree, type FileTree } from "./fileTree";
import { findItems } from "./foundItem";
import { classifyFound, projectOfFile, type ProjectKnowledge, type SweepMark } from "./foundState";
import { isSafePath, planSweep } from "./plan";
import { compileRules, DEFAULT_RULE_FILE, explainPath, projectKey, type RuleFile } from "./ruleFile";
import { ruleFileSchema } from "./ruleFileSchema";

const NOW = Date.UTC(2026, 4, 2, 12);
const DAY = 24 * 3600 * 1000;
const RULES = compileRules(DEFAULT_RULE_FILE);

/** A tree with some files of 4,096 bytes that were not used for some days. */
function treeOf(paths: readonly string[], ageDays = 60): FileTree {
  const tree = emptyTree();
  const below = new Map<string, string[]>([["", []]]);
  for (const path of paths) {
    const parts = path.split("/");
    for (let depth = 1; depth < parts.length; depth++) {
      const folder = parts.slice(0, depth).join("/");
      if (!below.has(folder)) below.set(folder, []);
    }
    below.get(parts.slice(0, -1).join("/"))!.push(parts.at(-1)!);
  }
  const numbers = new Map([...below.keys()].map((folder, number) => [folder, number]));
  for (const [folder, names] of below) {
    const cut = folder.lastIndexOf("/");
    tree.folders.name.push(folder.slice(cut + 1));
    tree.folders.parent.push(folder === "" ? -1 : numbers.get(folder.slice(0, Math.max(0, cut)))!);
    tree.folders.changedMs.push(NOW - ageDays * DAY);
    tree.folders.firstFile.push(tree.files.name.length);
    tree.folders.files.push(names.length);
    tree.folders.notRead.push(undefined);
    for (const name of names) {
      tree.files.name.push(name);
      tree.files.allocated.push(4096);
      tree.files.size.push(4000);
      tree.files.usedMs.push(NOW - ageDays * DAY);
      tree.files.modifiedMs.push(NOW - ageDays * DAY);
    }
  }
  return tree;
}

const nothingKnown: ProjectKnowledge = { projects: new Set(), versions: new Map(), unreadable: [], marks: [] };
const found = (paths: readonly string[], ageDays?: number) => findItems(treeOf(paths, ageDays), RULES, NOW);
const states = (paths: readonly string[], knowledge: Partial<ProjectKnowledge> = {}, ageDays?: number) =>
  classifyFound("root", found(paths, ageDays).items, { ...nothingKnown, ...knowledge }, NOW);

test("a folder that belongs together is one item with all that is in it", () => {
  const { items } = found(["Flyway 101/cache/1.exr", "Flyway 101/cache/deep/2.exr", "Flyway 101/plan.txt"]);
  expect(items).toMatchObject([
    { path: "Flyway 101/cache", isFolder: true, kind: "frames", project: "Flyway 101", bytes: 8192, files: 2 },
  ]);
});

test("what was used last are the files: that a folder was made or changed lately is no use of them", () => {
  const tree = treeOf(["a/cache/1.exr", "a/cache/deep/2.exr", "b/cache/empty/"], 200);
  for (const folder of tree.folders.name.keys()) tree.folders.changedMs[folder] = NOW - 1000;
  const [a] = findItems(tree, RULES, NOW).items;
  expect(a!.usedMs).toBe(NOW - 200 * DAY);
  expect(classifyFound("root", [a!], nothingKnown, NOW)[0]!.state).toBe("orphaned");
});

test("content with several names counts once, in the ledger as in the plan", () => {
  const tree = treeOf(["a/cache/1.exr", "a/cache/2.exr", "b/cache/1.exr", "b/cache/3.exr"]);
  // Two names in one item, and one each in two; of the last a name is somewhere else.
  const link = (file: number, inode: number, count: number) => tree.links.set(file, { inode, count });
  link(0, 7, 2);
  link(1, 7, 2);
  link(2, 8, 2);
  const items = findItems(tree, RULES, NOW).items;
  expect(items.map(({ bytes }) => bytes)).toEqual([4096, 2048 + 4096]);
  const listed = classifyFound("root", items, nothingKnown, NOW);
  const plan = (chosen: readonly number[]) =>
    planSweep(chosen.map((at) => ({ item: listed[at]!, links: items[at]!.links }))).bytes;
  expect(plan([0])).toBe(4096);
  // What has a name elsewhere does not come back.
  expect(plan([0, 1])).toBe(2 * 4096);
});

test("a temporary file is an item once it is old enough", () => {
  expect(found(["a.tmp"], 2).items).toHaveLength(1);
  expect(found(["a.tmp"], 0.5).items).toHaveLength(0);
});

test("an older version is superseded by a newer one, on the drive or by its project file", () => {
  const caches = ["Titles v3/cache/a", "Titles v4/cache/a"];
  expect(
    states(caches, { projects: new Set(["titles"]) }).map(({ project, state, reason }) => [project, state, reason]),
  ).toEqual([
    ["Titles v3", "superseded", "superseded by v4"],
    ["Titles v4", "idle", "Titles is there"],
  ]);
  const [first] = states(caches.slice(0, 1), { versions: new Map([["titles", 5]]) });
  expect(first).toMatchObject({ state: "superseded", reason: "superseded by v5" });
});

test("a project's file is found however its name is written", () => {
  expect(projectKey("Flyway 101")).toBe(projectKey("flyway_101"));
  expect(projectOfFile("Flyway-101.project.json")).toEqual({ name: "Flyway-101", owner: "flyway101" });
  expect(projectOfFile("Titles v12.proj")).toEqual({ name: "Titles v12", owner: "titles", version: 12 });
});

test("rebuilding is estimated from the size and the number of frames; nothing rebuilds what has no owner, and nobody needs an old log", () => {
  const rebuild = (paths: readonly string[]) =>
    states(paths, { pace: { rate: 4096, frameMs: 700 }, projects: new Set(["a"]) }).map(({ rebuildMs, isEstimate }) => [
      rebuildMs,
      isEstimate,
    ]);
  expect(rebuild(["a/cache/x"])).toEqual([[1000, true]]);
  // Two frames in half the bytes.
  expect(rebuild(["a/cache/x", "a/cache/y"])).toEqual([[2000, true]]);
  expect(rebuild(["b/cache/x"])).toEqual([[undefined, undefined]]);
  expect(rebuild(["x.log"])).toEqual([[0, undefined]]);
});

test("of each project the newest backup is kept, and no backup goes by itself", () => {
  const items = states(["a/backups/1.bak", "a/backups/2.bak", "b/backups/1.bak"], { projects: new Set(["a"]) });
  expect(
    items
      .filter(({ state }) => state === "kept")
      .map(({ project }) => project)
      .sort(),
  ).toEqual(["a", "b"]);
});

// Paths with all that matters to rules in them.
const part = fc.constantFrom(
  "Flyway 101",
  "Titles v3",
  "cache",
  "proxies",
  "footage",
  "backups",
  "tmp",
  "cache_7",
  "sub",
);
const file = fc.constantFrom("a.exr", "b.mov", "c.project.json", "d.log", "e.bak", "f.tmp", "g.proj", "h.txt");
const paths = fc.uniqueArray(
  fc.tuple(fc.array(part, { maxLength: 4 }), file).map(([folders, name]) => [...folders, name].join("/")),
  { maxLength: 25 },
);
const marks = fc.array(
  fc.oneof(
    fc.record({
      scope: fc.constant("project" as const),
      owner: fc.constantFrom("flyway101", "titles", "sub"),
      mark: fc.constantFrom("kept" as const, "delivered" as const),
    }),
    fc.record({
      scope: fc.constantFrom("folder" as const, "item" as const),
      place: fc.constantFrom("root", "other"),
      path: fc.constantFrom("Flyway 101", "cache", "Flyway 101/cache", "d.log"),
      mark: fc.constant("kept" as const),
    }),
  ),
  { maxLength: 4 },
);

test("no plan ever holds source media, a project file, what is kept, or what is outside; and every file at most once", () => {
  fc.assert(
    fc.property(paths, marks, (all, said: SweepMark[]) => {
      const { items } = found(all);
      const listed = classifyFound("root", items, { ...nothingKnown, marks: said }, NOW);
      const plan = planSweep([...listed, ...listed].map((item) => ({ item })));
      const taken = plan.items.flatMap(({ id }) => all.filter((path) => path === id || path.startsWith(`${id}/`)));
      expect(new Set(taken).size).toBe(taken.length);
      expect(plan.files).toBe(taken.length);
      for (const path of taken) {
        expect(path.split("/")).not.toContain("footage");
        expect(path).not.toMatch(/\.(project\.json|proj)$/);
        for (const mark of said)
          if (mark.scope !== "project" && mark.place === "root" && mark.scope === "folder")
            expect(path === mark.path || path.startsWith(`${mark.path}/`)).toBe(false);
      }
      for (const item of plan.items) {
        expect(isSafePath(item.id)).toBe(true);
        expect(said).not.toContainEqual({ scope: "project", owner: item.owner, mark: "kept" });
      }
    }),
  );
});

test("what a path would be is told as it is found", () => {
  fc.assert(
    fc.property(paths, (all) => {
      const { items, blocked } = found(all);
      for (const path of all) {
        const said = explainPath(RULES, path);
        const isHeld = blocked.some((one) => path === one.path || path.startsWith(`${one.path}/`));
        const item = items.find((one) => path === one.path || path.startsWith(`${one.path}/`));
        if (said.what === "item" && !isHeld) expect(said.item).toBe(item?.path);
        else expect(item).toBeUndefined();
      }
    }),
  );
});

test("a path that leads out is never safe", () => {
  for (const path of ["", "..", "../a", "a/../b", "a//b", "/a", "a/.", "a/"]) expect(isSafePath(path)).toBe(false);
  for (const path of ["a", "a/b", "..a", "a/...", "a\nb"]) expect(isSafePath(path)).toBe(true);
});

test("a rule file that cannot be used is refused with the rule and what is wrong", () => {
  const wrong = (change: Partial<RuleFile>) =>
    ruleFileSchema.validate({ ...DEFAULT_RULE_FILE, ...change }).error?.message;
  expect(wrong({})).toBeUndefined();
  expect(wrong({ media: ["a//b"] })).toMatch(/media\[0\].*is no name/);
  expect(wrong({ projectFiles: ["a/*.proj"] })).toMatch(/file name/);
  const rule = DEFAULT_RULE_FILE.items[0]!;
  expect(wrong({ items: [rule, { ...rule, pattern: "{owner}" }] })).toMatch(/items\[1\].pattern.*not known/);
  expect(wrong({ items: [{ ...rule, kind: "footage" as never }] })).toMatch(/must be one of/);
  expect(wrong({ version: 2 as never })).toMatch(/version/);
});
