import { spawnSync } from "node:child_process";
import {
  existsSync,
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
import { bindFolder, unmountDrive } from "../../../../testing/mounts";
import { driveTest } from "../../../../testing/privileged";
import { withFolder } from "../../../../testing/server";
import { atOneGo, Folder, workInside } from "./folder";
import { Place } from "./place";

/** A folder `in` beside a folder `out` with a file that nothing may touch. */
function withTwo(use: (inside: string, outside: string) => Promise<void> | void): Promise<void> {
  return withFolder(async (folder) => {
    const [inside, outside] = [path.join(folder, "in"), path.join(folder, "out")];
    for (const one of [inside, outside]) mkdirSync(one);
    writeFileSync(path.join(outside, "original"), "mine");
    await use(inside, outside);
    expect(readFileSync(path.join(outside, "original"), "utf8")).toBe("mine");
    expect(readdirSync(outside)).toEqual(["original"]);
  });
}

test("no link is followed, neither on the way to a folder nor in it", () =>
  withTwo(async (inside, outside) => {
    symlinkSync(outside, path.join(inside, "link"));
    symlinkSync(path.join(outside, "original"), path.join(inside, "file"));
    expect(() => Folder.open(path.join(inside, "link"))).toThrow(/is a link or no folder/);
    const folder = Folder.open(inside);
    for (const act of [
      () => folder.enter("link"),
      () => folder.make("link"),
      () => folder.enter("link/original"),
      () => folder.read("file", 100),
      () => folder.create("file"),
    ])
      expect(act).toThrow();
    await expect(folder.openFile("file")).rejects.toMatchObject({ code: "ELOOP" });
    await expect(folder.appendFile("file")).rejects.toMatchObject({ code: "ELOOP" });
    await expect(folder.createFile("file")).rejects.toMatchObject({ code: "EEXIST" });
    await folder.touched("file", 1000);
    expect(lstatSync(path.join(outside, "original")).mtimeMs).toBeGreaterThan(1e12);
    // What is in the way of a name goes itself, and what it leads to stays.
    symlinkSync(path.join(outside, "original"), path.join(inside, "a.json.new"));
    folder.replace("a.json", ["{}"]);
    expect(readFileSync(path.join(inside, "a.json"), "utf8")).toBe("{}");
    expect(folder.removeTree("link")).toEqual([]);
    folder.remove("file");
    folder.close();
    expect(readdirSync(inside)).toEqual(["a.json"]);
  }));

test.each(["", ".", "..", "a/b", "../out", "a\0b"])("%j is no name of a file", (name) =>
  withTwo((inside) => {
    const folder = Folder.open(inside);
    for (const act of [
      () => folder.read(name, 10),
      () => folder.remove(name),
      () => folder.make(name),
      () => folder.move("x", folder, name),
      () => folder.removeTree(name),
    ])
      expect(act).toThrow();
    folder.close();
  }),
);

test("a folder that is exchanged for a link goes on meaning the folder that was opened", () =>
  withTwo(async (inside, outside) => {
    mkdirSync(path.join(inside, "a"));
    writeFileSync(path.join(inside, "a/original"), "ours");
    const folder = Folder.open(path.join(inside, "a"));
    expect(folder.isHere).toBe(true);
    renameSync(path.join(inside, "a"), path.join(inside, "b"));
    symlinkSync(outside, path.join(inside, "a"));
    expect(folder.isHere).toBe(false);
    expect(folder.read("original", 100).toString()).toBe("ours");
    folder.remove("original");
    await folder.createFile("new").then((file) => file.close());
    expect(readdirSync(path.join(inside, "b"))).toEqual(["new"]);
    folder.close();
    expect(() => folder.names()).toThrow(/let go/);
  }));

test("a place is opened anew when something else is at its path", () =>
  withTwo(async (inside, outside) => {
    const root = path.join(inside, "root");
    mkdirSync(root);
    const place = new Place(root);
    await place.use((folder) => folder.replace("first", ["1"]));
    renameSync(root, path.join(inside, "moved"));
    await expect(place.use((folder) => folder.names())).rejects.toMatchObject({ code: "ENOENT" });
    symlinkSync(outside, root);
    await expect(place.use((folder) => folder.names())).rejects.toMatchObject({ code: "ENOTDIR" });
    rmSync(root);
    mkdirSync(root);
    expect(await place.use((folder) => folder.names())).toEqual([]);
    place.letGo();
  }));

test("a tree is removed however deep it is, and links in it go without what they lead to", () =>
  withTwo((inside, outside) => {
    const folder = Folder.open(inside);
    let at = folder.make("tree");
    for (let depth = 0; depth < 300; depth++) {
      const next = at.make("d".repeat(60));
      next.replace("file", ["x"]);
      at.close();
      at = next;
    }
    at.close();
    symlinkSync(outside, path.join(inside, "tree/link"));
    expect(folder.removeTree("tree")).toEqual([]);
    expect(folder.names()).toEqual([]);
    folder.close();
  }));

driveTest("a part of the same drive that is mounted in a tree is not entered, and stays with all that is in it", () =>
  withTwo((inside, outside) => {
    mkdirSync(path.join(inside, "tree/deep/mounted"), { recursive: true });
    writeFileSync(path.join(inside, "tree/file"), "x");
    bindFolder(outside, path.join(inside, "tree/deep/mounted"));
    try {
      const folder = Folder.open(inside);
      expect(() => folder.enter("tree/deep/mounted")).toThrow(/another drive is mounted/);
      const left = folder.removeTree("tree");
      expect(left.join()).toContain("another drive is mounted");
      expect(existsSync(path.join(inside, "tree/file"))).toBe(false);
      expect(readdirSync(path.join(inside, "tree/deep/mounted"))).toEqual(["original"]);
      folder.close();
    } finally {
      unmountDrive(path.join(inside, "tree/deep/mounted"));
    }
  }),
);

test("what it reads itself does not look used, and what it makes is the user's alone", () =>
  withTwo((inside) => {
    const file = path.join(inside, "old");
    writeFileSync(file, "x");
    utimesSync(file, 1000, 2000);
    const folder = Folder.open(inside);
    expect(folder.read("old", 10).toString()).toBe("x");
    expect(lstatSync(file).atimeMs).toBe(1_000_000);
    folder.make("made").close();
    folder.replace("made.json", ["{}"]);
    folder.close();
    expect(["made", "made.json"].map((name) => lstatSync(path.join(inside, name)).mode & 0o777)).toEqual([
      0o700, 0o600,
    ]);
  }));

test("pipes, folders and files that are too large are not read", () =>
  withTwo((inside) => {
    expect(spawnSync("mkfifo", [path.join(inside, "pipe")]).status).toBe(0);
    mkdirSync(path.join(inside, "folder"));
    writeFileSync(path.join(inside, "large"), "x".repeat(11));
    const folder = Folder.open(inside);
    for (const [name, code] of [
      ["pipe", "EINVAL"],
      ["folder", "EINVAL"],
      ["large", "EFBIG"],
    ] as const)
      expect(() => folder.read(name, 10)).toThrow(expect.objectContaining({ code }) as Error);
    folder.close();
  }));

test("a process that may works inside a folder, and nowhere else afterwards or in what is awaited", () =>
  withTwo(async (inside, outside) => {
    mkdirSync(path.join(inside, "to"));
    for (const name of ["a", "b", "c"]) writeFileSync(path.join(inside, name), name);
    const [folder, to] = [Folder.open(inside), Folder.open(path.join(inside, "to"))];
    const startedIn = process.cwd();
    // Not asked for, or not at one go.
    expect(atOneGo(() => folder.near() && process.cwd())).toBe(startedIn);
    workInside();
    const base = process.cwd();
    folder.near();
    expect(process.cwd()).toBe(base);
    // A folder that was put in its place is not what names are looked up in.
    renameSync(inside, `${inside}.moved`);
    symlinkSync(outside, inside);
    let later: Promise<string[]> | undefined;
    atOneGo(() => {
      folder.near().move("a", to, "a");
      expect(process.cwd()).toBe(`${inside}.moved`);
      expect(to.near().stat("a")?.isFile()).toBe(true);
      folder.moveFile("b", to, "b");
      later = folder.listed();
      folder.remove("c");
    });
    expect(process.cwd()).toBe(base);
    expect((await later!).filter((name) => name !== "c")).toEqual(["to"]);
    expect(to.names().sort()).toEqual(["a", "b"]);
    expect(() =>
      atOneGo(() => {
        folder.near();
        throw new Error("in the middle");
      }),
    ).toThrow("in the middle");
    expect(process.cwd()).toBe(base);
    folder.close();
    atOneGo(() => expect(() => folder.near().stat("to")).toThrow(/was let go/));
    to.close();
    process.chdir(startedIn);
  }));
