import { createHash } from "node:crypto";
import { spawnSync } from "node:child_process";
import {
  appendFileSync,
  existsSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  rmSync,
  symlinkSync,
  writeFileSync,
} from "node:fs";
import path from "node:path";
import { DEFAULT_RULE_FILE, filesOf, type GatheredState } from "@kinetocache/core";
import { withFolder } from "../../../../testing/server";
import { makeFiles } from "../../../../testing/sweeper";
import { PlaceRegistry } from "../places/placeRegistry";
import { digestOf } from "../work/digest";
import { acceptTarget, gather, originalsOf, readGathered, relink, type Reader } from "./gathered";
import { scanAtOnce } from "./scan";

const sum = (text: string) => createHash("sha256").update(text).digest("hex");
/** Reads here and now. */
const reader: Reader = {
  gate: () => Promise.resolve(),
  list: (folder) =>
    Promise.resolve([...filesOf(scanAtOnce(folder))].map(({ path: one, size: bytes }) => ({ path: one, bytes }))),
  digest: async (from, to) => {
    const digest = digestOf({ from: from.fd, state: new SharedArrayBuffer(16), ...(to ? { to: to.fd } : {}) })!;
    await Promise.all([from.close(), to?.close()]);
    return digest;
  },
};

/** All folders that are used, of which some are swept. */
function registryOf(...swept: readonly string[]): PlaceRegistry {
  const registry = new PlaceRegistry("/no/data");
  registry.add(() => swept.map((folder) => ({ folder, use: "swept" })));
  return registry;
}

/** A project with two clips of the same name and one that is missing, and an empty folder to gather it in. */
async function withProject(use: (file: string, target: string, folder: string) => Promise<void>): Promise<void> {
  await withFolder(async (folder) => {
    const file = path.join(folder, "projects/Flyway 102.project.json");
    mkdirSync(path.join(folder, "projects/a"), { recursive: true });
    mkdirSync(path.join(folder, "projects/b"));
    writeFileSync(path.join(folder, "projects/a/clip.mov"), "first");
    writeFileSync(path.join(folder, "projects/b/Clip.mov"), "second");
    const media = [
      { path: "a/clip.mov", sha256: sum("first") },
      { path: "b/Clip.mov" },
      { path: "c/lost.mov", bytes: 4, sha256: sum("lost") },
    ];
    const project = { format: "kinetocache-project", version: 1, name: "Flyway 102", media };
    writeFileSync(file, JSON.stringify(project));
    await use(file, await acceptTarget(path.join(folder, "gathered"), registryOf()), folder);
  });
}

const gathered = async (file: string, target: string) =>
  gather(
    {
      project: "Flyway 102",
      originals: await originalsOf(file, DEFAULT_RULE_FILE, [path.dirname(file)], reader),
      target,
    },
    reader,
  );
const states = ({ files }: GatheredState) => Object.fromEntries(files.map(({ path: one, state }) => [one, state]));

test("originals are copied under names of their own, with checksums that other tools check", () =>
  withProject(async (file, target) => {
    const manifest = await gathered(file, target);
    expect(manifest.files.map(({ path: one, reference, kind }) => [one, reference, kind])).toEqual([
      ["Flyway 102.project.json", "Flyway 102.project.json", "project"],
      ["a/clip.mov", "a/clip.mov", "media"],
      ["b/Clip.mov", "b/Clip.mov", "media"],
    ]);
    expect(manifest.missing).toEqual([{ reference: "c/lost.mov", bytes: 4, sha256: sum("lost") }]);
    expect(readFileSync(path.join(target, "b/Clip.mov"), "utf8")).toBe("second");
    // The source is as it was.
    expect(readFileSync(path.join(path.dirname(file), "a/clip.mov"), "utf8")).toBe("first");
    const check = spawnSync("sha256sum", ["--check", "--strict", "SHA256SUMS"], { cwd: target, encoding: "utf8" });
    expect([check.status, check.stdout.split("\n").filter((line) => line.endsWith(": OK")).length]).toEqual([0, 3]);
  }));

test("the copied project refers to the copies: where it looked for them, or rewritten where that was elsewhere", () =>
  withFolder(async (folder) => {
    const projects = path.join(folder, "projects");
    makeFiles(folder, ["projects/in/one.mov", "shared/two.mov", "other/three.mov"]);
    const file = path.join(projects, "a.project.json");
    const media = ["in/one.mov", "../shared/two.mov", path.join(folder, "shared/two.mov"), "../other/three.mov"];
    const project = {
      format: "kinetocache-project",
      version: 1,
      name: "a",
      media: media.map((one) => ({ path: one })),
    };
    writeFileSync(file, JSON.stringify({ ...project, more: { kept: true } }));
    const allowed = [projects, path.join(folder, "shared")];
    mkdirSync(path.join(folder, "far/away"), { recursive: true });
    const target = await acceptTarget(path.join(folder, "far/away/gathered"), registryOf());
    const originals = await originalsOf(file, DEFAULT_RULE_FILE, allowed, reader);
    await gather({ project: "a", originals, target }, reader);
    const copied = () =>
      JSON.parse(readFileSync(path.join(target, "a.project.json"), "utf8")) as {
        media: { path: string }[];
        more: object;
      };
    const there = () => copied().media.map((one) => existsSync(path.resolve(target, one.path)));
    expect(copied().media.map((one) => one.path)).toEqual([
      "in/one.mov",
      "media/two.mov",
      "media/two 2.mov",
      "../other/three.mov",
    ]);
    expect([there(), copied().more]).toEqual([[true, true, true, false], { kept: true }]);
    expect(JSON.parse(readFileSync(file, "utf8"))).toMatchObject(project);
    // What is found later is referred to as well, and all checksums are those of what is there.
    await relink(target, path.join(folder, "other"), reader);
    expect(there()).toEqual([true, true, true, true]);
    expect((await readGathered(target, reader)).files.map(({ state }) => state)).toEqual(
      Array.from({ length: 5 }, () => "as it was"),
    );
    expect(spawnSync("sha256sum", ["--check", "--strict", "SHA256SUMS"], { cwd: target }).status).toBe(0);
  }));

test("media outside the registered folders is told and not read, also where a link leads there", () =>
  withFolder(async (folder) => {
    const projects = path.join(folder, "projects");
    makeFiles(projects, ["in.mov"]);
    writeFileSync(path.join(folder, "out.mov"), "outside");
    symlinkSync(path.join(folder, "out.mov"), path.join(projects, "link.mov"));
    const media = ["in.mov", "link.mov", "../out.mov", "/etc/passwd", "gone.mov"].map((one) => ({ path: one }));
    const file = path.join(projects, "a.project.json");
    writeFileSync(file, JSON.stringify({ format: "kinetocache-project", version: 1, name: "a", media }));
    const states = (await originalsOf(file, DEFAULT_RULE_FILE, [projects], reader)).map(({ state }) => state);
    expect(states).toEqual(["there", "there", "outside", "outside", "outside", "missing"]);
    const target = await acceptTarget(path.join(folder, "gathered"), registryOf(projects));
    const manifest = await gathered(file, target);
    expect(manifest.files.map(({ reference }) => reference)).toEqual(["a.project.json", "in.mov"]);
    expect(manifest.missing).toHaveLength(4);
  }));

test("of a project in another format all source media in its folder is its own", () =>
  withFolder(async (folder) => {
    makeFiles(folder, ["a.proj", "footage/1.mov", "footage/deep/2.mov", "cache/3.exr", "notes.txt"]);
    const originals = await originalsOf(path.join(folder, "a.proj"), DEFAULT_RULE_FILE, [folder], reader);
    expect(originals.map(({ reference, kind }) => [reference, kind]).sort()).toEqual([
      ["a.proj", "project"],
      ["footage/1.mov", "media"],
      ["footage/deep/2.mov", "media"],
    ]);
  }));

test("what was altered or went is told when it is opened again", () =>
  withProject(async (file, target) => {
    await gathered(file, target);
    appendFileSync(path.join(target, "a/clip.mov"), "!");
    rmSync(path.join(target, "b/Clip.mov"));
    const state = await readGathered(target, reader);
    expect(states(state)).toEqual({
      "Flyway 102.project.json": "as it was",
      "a/clip.mov": "altered",
      "b/Clip.mov": "gone",
    });
    expect(state.projectFile).toBe(path.join(target, "Flyway 102.project.json"));
  }));

test("missing media is found by its checksum under any name, and by name where no checksum is known", () =>
  withProject(async (file, target, folder) => {
    await gathered(file, target);
    rmSync(path.join(target, "b/Clip.mov"));
    const elsewhere = path.join(folder, "elsewhere");
    makeFiles(elsewhere, ["deep/lost.mov"]);
    writeFileSync(path.join(elsewhere, "renamed.bin"), "lost");
    writeFileSync(path.join(elsewhere, "second copy.mov"), "second");
    expect(await relink(target, elsewhere, reader)).toEqual([
      // The file of the right name has other content.
      { reference: "c/lost.mov", file: path.join(elsewhere, "renamed.bin"), by: "checksum" },
      { reference: "b/Clip.mov", file: path.join(elsewhere, "second copy.mov"), by: "checksum" },
    ]);
    const state = await readGathered(target, reader);
    expect(state.missing).toEqual([]);
    expect(Object.values(states(state))).toEqual(["as it was", "as it was", "as it was", "as it was"]);
  }));

test("media without a checksum is found by its name", () =>
  withFolder(async (folder) => {
    const file = path.join(folder, "p/a.project.json");
    mkdirSync(path.dirname(file));
    const project = { format: "kinetocache-project", version: 1, name: "a", media: [{ path: "x/Wader.mov" }] };
    writeFileSync(file, JSON.stringify(project));
    const target = await acceptTarget(path.join(folder, "gathered"), registryOf());
    await gathered(file, target);
    makeFiles(path.join(folder, "elsewhere"), ["wader.MOV", "other.mov"]);
    expect(await relink(target, path.join(folder, "elsewhere"), reader)).toMatchObject([{ by: "name" }]);
  }));

test("stopped half-way, there is no manifest, and what is there is not taken for gathered", () =>
  withProject(async (file, target) => {
    const originals = await originalsOf(file, DEFAULT_RULE_FILE, [path.dirname(file)], reader);
    let copies = 0;
    const stop = () => (++copies > 2 ? Promise.reject(new Error("stopped")) : Promise.resolve());
    await expect(gather({ project: "x", originals, target }, { ...reader, gate: stop })).rejects.toThrow("stopped");
    expect(readdirSync(target)).not.toContain("gathered.json");
    await expect(readGathered(target, reader)).rejects.toThrow(/not gathered, or not to its end/);
    expect(existsSync(path.join(path.dirname(file), "b/Clip.mov"))).toBe(true);
  }));

test("a folder that is not new or empty, and a manifest that leads elsewhere, are refused", () =>
  withProject(async (file, target) => {
    await gathered(file, target);
    await expect(acceptTarget(target, registryOf())).rejects.toThrow(/holds other files/);
    await expect(acceptTarget("relative", registryOf())).rejects.toThrow(/full path/);
    await expect(acceptTarget("/none/at/all", registryOf())).rejects.toThrow(/make it first/);
    const swept = path.dirname(file);
    symlinkSync(swept, path.join(swept, "../link"));
    for (const inside of [path.join(swept, "new"), path.join(swept, "../link/new")])
      await expect(acceptTarget(inside, registryOf(swept))).rejects.toThrow(/which is swept/);
    expect(existsSync(path.join(swept, "new"))).toBe(false);
    await expect(acceptTarget(file, registryOf())).rejects.toThrow(/not a folder/);
    const manifest = path.join(target, "gathered.json");
    const text = readFileSync(manifest, "utf8");
    for (const wrong of [
      "nonsense",
      text.replace("a/clip.mov", "../clip.mov"),
      text.replace('"version": 1', '"version": 2'),
    ]) {
      writeFileSync(manifest, wrong);
      await expect(readGathered(target, reader)).rejects.toThrow(/gathered\.json in/);
    }
  }));

test("a search for media that was cancelled is done again, over what it had copied, and never over something else", () =>
  withProject(async (file, target, folder) => {
    await gathered(file, target);
    makeFiles(path.join(folder, "elsewhere"), ["lost.mov"]);
    writeFileSync(path.join(folder, "elsewhere/lost.mov"), "lost");
    const relinked = (how: Reader = reader) => relink(target, path.join(folder, "elsewhere"), how);
    // Cancelled while the copy is read back: half of it does not stay.
    let reads = 0;
    const cancelled: Reader = {
      ...reader,
      digest: async (from, to) => {
        const digest = await reader.digest(from, to);
        // Three files as they are, the one that matches, the copy, and the copy read back.
        if (++reads === 6) throw new Error("cancelled");
        return digest;
      },
    };
    await expect(relinked(cancelled)).rejects.toThrow("cancelled");
    expect(existsSync(path.join(target, "c/lost.mov.partial"))).toBe(false);
    // One that ended before it noted what it had copied.
    mkdirSync(path.join(target, "c"), { recursive: true });
    writeFileSync(path.join(target, "c/lost.mov"), "another");
    await expect(relinked()).rejects.toThrow(/Something else is at .*c\/lost\.mov/);
    expect(readFileSync(path.join(target, "c/lost.mov"), "utf8")).toBe("another");
    writeFileSync(path.join(target, "c/lost.mov"), "lost");
    expect(await relinked()).toMatchObject([{ reference: "c/lost.mov", by: "checksum" }]);
    expect((await readGathered(target, reader)).missing).toEqual([]);
  }));
