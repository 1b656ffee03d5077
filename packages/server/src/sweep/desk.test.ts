import {
  appendFileSync,
  chmodSync,
  existsSync,
  linkSync,
  lstatSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  renameSync,
  rmSync,
  symlinkSync,
  utimesSync,
  writeFileSync,
} from "node:fs";
import path from "node:path";
import { DEFAULT_RULE_FILE, unpackItems, type PackedItems, type SweepItem, type SweepMark } from "@kinetocache/core";
import { mountDrive, unmountDrive } from "../../../../testing/mounts";
import { asNobody, driveTest, otherUserTest } from "../../../../testing/privileged";
import { withFolder } from "../../../../testing/server";
import { makeFiles } from "../../../../testing/sweeper";
import { Desk } from "./desk";

const ROOT = "folder-1";

interface Place {
  readonly desk: Desk;
  readonly root: string;
  /** Its items as the screen gets them. */
  readonly items: () => SweepItem[];
  readonly scan: (fresh?: boolean) => Promise<void>;
  readonly plan: (...ids: string[]) => ReturnType<Desk["plan"]>;
  readonly hold: (...ids: string[]) => ReturnType<Desk["hold"]>;
}

/** A whole scan. */
async function scanAll(desk: Desk, fresh = false): Promise<void> {
  desk.beginScan(ROOT, fresh);
  while (await desk.scanOn(ROOT)) continue;
}

/** A desk with one registered folder that holds some files, gone through once. */
async function withDesk(
  names: readonly string[],
  use: (place: Place) => Promise<void>,
  { marks = [], isNominal = false }: { marks?: readonly SweepMark[]; isNominal?: boolean } = {},
): Promise<void> {
  await withFolder(async (folder) => {
    const root = path.join(folder, "root");
    mkdirSync(root);
    makeFiles(root, names);
    makeFiles(folder, ["projects/Flyway 101.project.json"]);
    const desk = new Desk(folder);
    desk.setTerms({ ruleFile: DEFAULT_RULE_FILE, marks });
    desk.setPlaces([{ id: ROOT, folder: root, projects: [path.join(folder, "projects")], isNominal }]);
    const scan = (fresh = false) => scanAll(desk, fresh);
    await scan();
    await use({
      desk,
      root,
      scan,
      items: () => desk.items(ROOT).flatMap((line) => unpackItems(JSON.parse(String(line)) as PackedItems)),
      plan: (...ids) => desk.plan([{ place: ROOT, ids }]),
      hold: (...ids) => desk.hold([{ place: ROOT, ids }], "you"),
    });
  });
}

const CACHE = ["Flyway 101/cache/a.exr", "Flyway 101/cache/deep/b.exr"];

test("items are found with project, kind and state, by path and by what projects there are", () =>
  withDesk(
    [
      ...CACHE,
      "Flyway 102/proxies/a.mp4",
      "Flyway 102/footage/a.mov",
      "Flyway 102/backups/1.bak",
      "Flyway 102/backups/2.bak",
      "cache_0417/x",
      "render.log",
      "notes.txt",
    ],
    async ({ items, desk }) => {
      const found = items().map(({ id, kind, project, state, files }) => [id, kind, project, state, files]);
      expect(found.sort()).toEqual([
        ["Flyway 101/cache", "frames", "Flyway 101", "idle", 2],
        ["Flyway 102/backups/1.bak", "backups", "Flyway 102", "kept", 1],
        ["Flyway 102/backups/2.bak", "backups", "Flyway 102", "orphaned", 1],
        ["Flyway 102/proxies", "proxies", "Flyway 102", "orphaned", 1],
        ["cache_0417", "frames", "", "ownerless", 1],
        ["render.log", "logs", "", "ownerless", 1],
      ]);
      expect(desk.report()).toMatchObject([{ id: ROOT, files: 9, items: 6, projectFiles: 1 }]);
      await Promise.resolve();
    },
  ));

test("an owner is told by one rule for every kind: what belongs to a version of a project that is there is not orphaned", () =>
  withDesk(
    ["Flyway 101 v2/backups/a.bak", "Flyway 101 v2/backups/b.bak", "Flyway 101 v2/cache/a.exr"],
    async ({ items, scan }) => {
      await scan();
      expect(items().map(({ owner, state }) => [owner, state])).toEqual(
        expect.arrayContaining([
          ["flyway101", "idle"],
          ["flyway101", "kept"],
        ]) as unknown,
      );
      expect(items().some(({ state }) => state === "orphaned")).toBe(false);
    },
  ));

test("a manifest beside a cache says whose it is, and whether its project is there", () =>
  withDesk(["odd/cache/a", "there.bin"], async ({ root, items, scan }) => {
    const manifest = (projectFile?: string) => {
      const said = { format: "kinetocache-owner", version: 1, project: "Flyway 103", projectFile };
      writeFileSync(path.join(root, "odd/cache-owner.json"), JSON.stringify(said));
    };
    const told = async () => {
      await scan();
      const { project, state } = items()[0]!;
      return [project, state];
    };
    manifest("../there.bin");
    expect(await told()).toEqual(["Flyway 103", "idle"]);
    manifest("../gone.bin");
    expect(await told()).toEqual(["Flyway 103", "orphaned"]);
    // A drive that is off takes no project with it.
    manifest("/media/nobody/drive that is off/Flyway 103.project.json");
    expect(await told()).toEqual(["Flyway 103", "idle"]);
    expect(items()[0]!.reason).toContain("its drive may be off");
    writeFileSync(path.join(root, "odd/cache-owner.json"), "nonsense");
    expect((await told())[0]).toBe("odd");
  }));

test("a second scan finds what changed, and a fresh one what was written in place long ago", () =>
  withDesk(CACHE, async ({ root, items, scan, desk }) => {
    const bytes = () => items().find(({ id }) => id === "Flyway 101/cache")!.bytes;
    const before = bytes();
    makeFiles(root, ["Flyway 101/cache/deep/c.exr"]);
    await scan();
    expect(bytes()).toBeGreaterThan(before);
    expect(items()[0]!.files).toBe(3);
    // Neither the folder nor the file looks younger than it did.
    const file = path.join(root, CACHE[0]!);
    const { mtime, atime } = lstatSync(file);
    appendFileSync(file, Buffer.alloc(100_000));
    utimesSync(file, atime, mtime);
    const grown = bytes();
    await scan();
    expect(bytes()).toBe(grown);
    await scan(true);
    expect(bytes()).toBeGreaterThan(grown);
    rmSync(path.join(root, "Flyway 101"), { recursive: true });
    await scan();
    expect(items()).toEqual([]);
    expect(desk.report()[0]!.files).toBe(0);
  }));

test("reading who owns a cache is no use of it, however often it is scanned", () =>
  withDesk(["cache_x/a.exr", "cache_x/cache-owner.json"], async ({ root, scan, items }) => {
    const manifest = path.join(root, "cache_x/cache-owner.json");
    writeFileSync(manifest, JSON.stringify({ format: "kinetocache-owner", version: 1, project: "Flyway 104" }));
    const old = Date.now() / 1000 - 50 * 24 * 3600;
    utimesSync(manifest, old - 10, old);
    utimesSync(path.dirname(manifest), old, old);
    for (let time = 0; time < 3; time++) {
      await scan(true);
      expect(items()).toMatchObject([{ id: "cache_x", project: "Flyway 104", usedMs: old * 1000 }]);
      // As on a drive where reading is always noted.
      utimesSync(manifest, Date.now() / 1000, old);
    }
  }));

test("what was found is there after a restart, also when its file was torn", () =>
  withDesk(CACHE, async ({ root, desk, items }) => {
    const before = items();
    desk.saveScan(ROOT);
    const folder = path.join(path.dirname(root), "scans");
    const reopened = () => {
      const again = new Desk(path.dirname(root));
      again.setTerms({ ruleFile: DEFAULT_RULE_FILE, marks: [] });
      again.setPlaces([{ id: ROOT, folder: root, projects: [], isNominal: false }]);
      return again.report()[0]!;
    };
    expect(reopened()).toMatchObject({ items: before.length, files: 2 });
    const file = path.join(folder, `${ROOT}.scan`);
    const whole = readFileSync(file);
    for (const torn of [whole.subarray(0, -7), Buffer.alloc(0), Buffer.from("nonsense")]) {
      writeFileSync(file, torn);
      expect(reopened()).toMatchObject({ items: 0, files: 0 });
    }
    await Promise.resolve();
  }));

test("links lead nowhere: to outside, to above, and in loops", () =>
  withDesk([], async ({ root, items, scan, desk }) => {
    const outside = path.join(root, "../outside");
    makeFiles(outside, ["cache/a.exr"]);
    makeFiles(root, ["Flyway 101/cache/real.exr"]);
    symlinkSync(outside, path.join(root, "out"));
    symlinkSync("..", path.join(root, "up"));
    symlinkSync(".", path.join(root, "Flyway 101/loop"));
    symlinkSync(path.join(outside, "cache/a.exr"), path.join(root, "Flyway 101/cache/link.exr"));
    await scan();
    expect(items().map(({ id, files }) => [id, files])).toEqual([["Flyway 101/cache", 1]]);
    expect(desk.report()[0]!.files).toBe(1);
  }));

test("content that has other names comes back when its last name goes", () =>
  withDesk([], async ({ root, scan, plan }) => {
    for (const name of ["a.log", "b.log"]) {
      writeFileSync(path.join(root, name), Buffer.alloc(8192));
      utimesSync(path.join(root, name), 1e9, 1e9);
    }
    linkSync(path.join(root, "a.log"), path.join(root, "a2.log"));
    linkSync(path.join(root, "b.log"), path.join(root, "elsewhere"));
    await scan();
    expect(plan("a.log")).toMatchObject({ bytes: 0, items: [{}] });
    expect(plan("a.log", "a2.log").bytes).toBe(8192);
    expect(plan("a.log", "a2.log", "b.log").bytes).toBe(8192);
  }));

driveTest("another drive that is mounted inside is left alone, with what holds it", () =>
  withDesk(["Flyway 102/cache/a.exr", "b.log"], async ({ root, scan, items, desk }) => {
    const mount = path.join(root, "Flyway 102/cache/other");
    mkdirSync(mount);
    expect(mountDrive(mount, "1M")).toBe(true);
    try {
      makeFiles(mount, ["x.log"]);
      await scan();
      expect(items().map(({ id }) => id)).toEqual(["b.log"]);
      expect(desk.report()[0]!.blocked).toEqual([
        { path: "Flyway 102/cache", reason: "Flyway 102/cache/other: another drive is mounted there" },
      ]);
    } finally {
      unmountDrive(mount);
    }
  }),
);

otherUserTest("a folder without permission is said, and the item that it is in stays", () =>
  withDesk([], async ({ root, scan, desk, items }) => {
    makeFiles(root, ["Flyway 102/cache/locked/x", "Flyway 102/proxies/x"]);
    const locked = path.join(root, "Flyway 102/cache/locked");
    chmodSync(locked, 0o700);
    for (const one of [root, path.dirname(root)]) chmodSync(one, 0o755);
    await asNobody(scan);
    expect(items().map(({ id }) => id)).toEqual(["Flyway 102/proxies"]);
    expect(desk.report()[0]!.blocked).toEqual([
      { path: "Flyway 102/cache", reason: "Flyway 102/cache/locked: it may not be read" },
    ]);
  }),
);

test("names that are no text, and very long paths, are skipped or moved, never lost", () =>
  withDesk([], async ({ root, scan, items, plan, hold, desk }) => {
    const odd = Buffer.concat([Buffer.from(`${root}/`), Buffer.from([0x66, 0xff, 0xfe]), Buffer.from(".log")]);
    writeFileSync(odd, "");
    // A path of about 4,000 bytes, made a part at a time: whole it is too long for some calls.
    const part = "x".repeat(200);
    const parts = Math.floor((4000 - Buffer.byteLength(root)) / 201) - 1;
    const long = [...Array.from({ length: parts }, () => part), "deep.log"].join("/");
    const before = process.cwd();
    process.chdir(root);
    for (let n = 0; n < parts; n++) {
      mkdirSync(part);
      process.chdir(part);
    }
    writeFileSync("deep.log", "deep");
    utimesSync("deep.log", 1e9, 1e9);
    process.chdir(before);
    await scan();
    expect(items().map(({ id }) => id)).toEqual([long]);
    expect(plan(long).skipped).toEqual([]);
    const { batches } = await hold(long);
    expect(batches).toMatchObject([{ items: 1 }]);
    expect(await desk.restore(ROOT, batches[0]!.id)).toEqual([]);
    expect(readFileSync(path.join(root, long), "utf8")).toBe("deep");
    expect(existsSync(odd)).toBe(true);
  }));

test("what changed, went, or became something else between listing and moving stays, and says why", () =>
  withDesk([...CACHE, "a.log", "b.log", "c.log", "Flyway 102/cache/x"], async ({ root, plan, hold }) => {
    appendFileSync(path.join(root, "a.log"), "more");
    rmSync(path.join(root, "b.log"));
    rmSync(path.join(root, "c.log"));
    symlinkSync("/etc/passwd", path.join(root, "c.log"));
    writeFileSync(path.join(root, "Flyway 101/cache/deep/new.exr"), "");
    const ids = ["a.log", "b.log", "c.log", "Flyway 101/cache", "Flyway 102/cache", "../outside", "Flyway 102"];
    const reasons = Object.fromEntries(plan(...ids).skipped.map(({ id, reason }) => [id, reason]));
    expect(reasons).toEqual({
      "a.log": "it changed since it was listed",
      "b.log": "it is gone",
      "c.log": "it changed since it was listed",
      "Flyway 101/cache": "it changed since it was listed",
      "../outside": "it is not listed",
      "Flyway 102": "it is not listed",
    });
    const { batches, skipped } = await hold(...ids);
    expect(batches).toMatchObject([{ items: 1, projects: ["Flyway 102"] }]);
    expect(skipped).toHaveLength(6);
    expect(lstatSync(path.join(root, "c.log")).isSymbolicLink()).toBe(true);
  }));

test("a folder that holds a project file or source media is no item, whatever a rule says", () =>
  withDesk(
    [
      "Flyway 102/cache/x",
      "Flyway 102/cache/saved.project.json",
      "Flyway 104/cache/footage/a.mov",
      "Flyway 105/cache/x",
    ],
    async ({ items, desk }) => {
      expect(items().map(({ id }) => id)).toEqual(["Flyway 105/cache"]);
      expect(
        desk
          .report()[0]!
          .blocked.map((one) => one.path)
          .sort(),
      ).toEqual(["Flyway 102/cache", "Flyway 104/cache"]);
      await Promise.resolve();
    },
  ));

test("keep marks protect an item, a folder and a project; delivered lets a project's generated files go", () => {
  const marks: SweepMark[] = [
    { scope: "item", place: ROOT, path: "a.log", mark: "kept" },
    { scope: "folder", place: ROOT, path: "Flyway 102", mark: "kept" },
    { scope: "project", owner: "flyway103", mark: "kept" },
    { scope: "project", owner: "flyway101", mark: "delivered" },
  ];
  const names = [...CACHE, "a.log", "Flyway 102/cache/x", "Flyway 103/cache/x", "Flyway 101/backups/1.bak"];
  return withDesk(
    names,
    async ({ items, plan }) => {
      const states = Object.fromEntries(items().map(({ id, state }) => [id, state]));
      expect(states).toEqual({
        "Flyway 101/cache": "delivered",
        "Flyway 101/backups/1.bak": "kept",
        "a.log": "kept",
        "Flyway 102/cache": "kept",
        "Flyway 103/cache": "kept",
      });
      expect(plan(...Object.keys(states)).items.map(({ id }) => id)).toEqual(["Flyway 101/cache"]);
      await Promise.resolve();
    },
    { marks },
  );
});

test("when the folder with projects cannot be read, nothing is orphaned for its sake", () =>
  withDesk(["Flyway 102/cache/x"], async ({ root, items, scan, desk }) => {
    expect(items()[0]!.state).toBe("orphaned");
    const projects = path.join(root, "../projects");
    renameSync(projects, `${projects}-away`);
    await scan();
    expect(items()[0]).toMatchObject({ state: "idle", reason: expect.stringMatching(/cannot be read/) as string });
    expect(desk.report()[0]!.unreadableProjects).toEqual([projects]);
  }));

test("a drive that is removed half-way is said; what was known stands, and it goes on when it is back", () =>
  withDesk(CACHE, async ({ root, desk, scan, items, plan }) => {
    renameSync(root, `${root}-away`);
    expect(plan("Flyway 101/cache").skipped).toMatchObject([{ reason: "it is gone" }]);
    expect((await desk.hold([{ place: ROOT, ids: ["Flyway 101/cache"] }], "you")).batches).toEqual([]);
    await expect(scan()).rejects.toThrow(/ENOENT/);
    expect(desk.report()[0]!.fault).toMatch(/ENOENT/);
    expect(existsSync(root)).toBe(false);
    renameSync(`${root}-away`, root);
    await scan();
    expect(items()).toHaveLength(1);
    expect(desk.report()[0]!.fault).toBeUndefined();
  }));

driveTest("a drive that is full when the list is written moves nothing, and says so", () =>
  withFolder(async (folder) => {
    const root = path.join(folder, "small");
    mkdirSync(root);
    expect(mountDrive(root, "400k")).toBe(true);
    try {
      const names = Array.from({ length: 900 }, (_, n) => `${"long name ".repeat(20)}${n}.log`);
      for (const name of names) {
        writeFileSync(path.join(root, name), "");
        utimesSync(path.join(root, name), 1e9, 1e9);
      }
      const desk = new Desk(folder);
      desk.setTerms({ ruleFile: DEFAULT_RULE_FILE, marks: [] });
      desk.setPlaces([{ id: ROOT, folder: root, projects: [], isNominal: false }]);
      await scanAll(desk);
      writeFileSync(path.join(root, "filler"), Buffer.alloc(300 * 1024));
      await expect(desk.hold([{ place: ROOT, ids: names }], "you")).rejects.toMatchObject({ code: "ENOSPC" });
      expect(readdirSync(root).filter((name) => name.endsWith(".log"))).toHaveLength(names.length);
      expect(await desk.holds()).toEqual([]);
      expect(readdirSync(path.join(root, ".kinetocache-holding"))).toEqual([]);
      rmSync(path.join(root, "filler"));
      expect((await desk.hold([{ place: ROOT, ids: names }], "you")).batches).toMatchObject([{ items: names.length }]);
    } finally {
      unmountDrive(root);
    }
  }),
);

test("a scan that was begun and not gone on with changes nothing", () =>
  withDesk(CACHE, async ({ desk, root, items, scan }) => {
    makeFiles(
      root,
      Array.from({ length: 30 }, (_, n) => `Flyway 105/cache/${n % 3}/${n}`),
    );
    const before = items();
    desk.beginScan(ROOT, true);
    expect(items()).toEqual(before);
    await scan();
    expect(items()).toHaveLength(before.length + 1);
  }));
