import { existsSync, mkdirSync, readdirSync, statSync, symlinkSync, writeFileSync } from "node:fs";
import { homedir } from "node:os";
import path from "node:path";
import type { FolderListing, FolderStart } from "@kinetocache/core";
import { keyOf } from "../../../../testing/keys";
import { withFolder, withServerIn, type TestServer } from "../../../../testing/server";

function withFolders(use: (server: TestServer, at: (name: string) => string) => Promise<void>): Promise<void> {
  return withFolder(async (folder) => {
    const at = (name: string) => path.join(folder, name);
    for (const name of ["jobs/Shot 10", "jobs/Shot 9", "jobs/shot 1", "swept/inside"])
      mkdirSync(at(name), { recursive: true });
    writeFileSync(at("jobs/notes.txt"), "for nobody else");
    symlinkSync(at("swept"), at("jobs/linked"));
    symlinkSync(at("jobs/notes.txt"), at("jobs/linked file"));
    symlinkSync(at("nowhere"), at("jobs/linked nowhere"));
    await withServerIn(at("data"), (server) => use(server, at));
  });
}

const query = (folder: string, use?: string) =>
  `/api/folders?path=${encodeURIComponent(folder)}${use ? `&use=${use}` : ""}`;
const list = (server: TestServer, folder: string, use?: string) => server.json<FolderListing>(query(folder, use));
const make = (server: TestServer, parent: string, name: string) =>
  server.send("POST", "/api/folders", { parent, name });

test("folders are listed by name, in order, and of files nothing is told", () =>
  withFolders(async (server, at) => {
    const { path: where, folders, more } = await list(server, at("jobs"));
    expect([where, more]).toEqual([at("jobs"), 0]);
    expect(folders).toEqual(["linked", "shot 1", "Shot 9", "Shot 10"].map((name) => ({ name })));
  }));

test("what cannot be chosen is listed with the reason, by what it is looked for", () =>
  withFolders(async (server, at) => {
    await server.send("POST", "/api/sweep/folders", { folder: at("swept"), projects: [] });
    const reasons = async (use: string) =>
      Object.fromEntries((await list(server, at("."), use)).folders.map(({ name, refusal }) => [name, refusal]));
    expect((await reasons("swept")).jobs).toBeUndefined();
    expect((await reasons("swept")).swept).toMatch(/overlaps .*swept, which is swept/);
    expect((await reasons("projects")).swept).toBeUndefined();
    expect((await reasons("swept")).data).toMatch(/application's own data/);
    expect((await list(server, at("jobs"), "swept")).folders[0]).toMatchObject({
      name: "linked",
      refusal: expect.stringMatching(/which is swept/) as string,
    });
    expect((await list(server, "/", "swept")).refusal).toMatch(/is too much/);
    const root = (await list(server, "/", "swept")).folders;
    expect(root.find(({ name }) => name === "etc")!.refusal).toMatch(/belongs to the system/);
  }));

test("looking begins at home, at a drive, or where something is in use, with what it takes where that is known", () =>
  withFolders(async (server, at) => {
    await server.send("POST", "/api/sweep/folders", { folder: at("swept"), projects: [] });
    await server.store(keyOf(1), new Uint8Array(5000));
    const starts = await server.json<FolderStart[]>("/api/folders/starts");
    const of = (kind: string) => starts.filter((start) => start.kind === kind).map((start) => start.path);
    expect(of("home")).toEqual([homedir()]);
    expect(of("drive").length).toBeGreaterThan(0);
    expect(of("recent")).toEqual([at("data/volume"), at("swept")]);
    const [volume] = (await list(server, at("data"))).folders.filter(({ name }) => name === "volume");
    expect(volume!.bytes).toBeGreaterThanOrEqual(5000);
  }));

test("a folder is made where the user may, for the user alone, and never in place of something", () =>
  withFolders(async (server, at) => {
    expect(await (await make(server, at("jobs"), "Shot 11")).json()).toEqual({ path: at("jobs/Shot 11") });
    expect(statSync(at("jobs/Shot 11")).mode & 0o777).toBe(0o700);
    const refused = async (parent: string, name: string) => (await make(server, parent, name)).status;
    expect(await refused(at("jobs"), "Shot 11")).toBe(409);
    expect(await refused(at("jobs"), "notes.txt")).toBe(409);
    expect(await refused(at("jobs"), "linked nowhere")).toBe(409);
    expect(existsSync(at("nowhere"))).toBe(false);
    for (const name of ["", ".", "..", "a/b", "a\\b", "a\0b", "x".repeat(300)])
      expect(await refused(at("jobs"), name)).toBe(400);
    expect(await refused("/etc", "ours")).toBe(400);
    expect(await refused(at("none"), "a")).toBe(404);
    expect(readdirSync(at("jobs"))).toHaveLength(8);
  }));

test("what is no folder, and what is not asked by the user's own page, is refused", () =>
  withFolders(async (server, at) => {
    const status = async (target: string, init?: RequestInit) => (await server.ask(target, init)).status;
    expect(await status(query(at("none")))).toBe(404);
    expect(await status(query(at("jobs/notes.txt")))).toBe(400);
    expect(await status(query("jobs"))).toBe(400);
    expect(await status(query(at("jobs"), "everything"))).toBe(400);
    expect(await status(query("/a\0b"))).toBe(400);
    expect(await status(query(at("jobs")), { headers: { cookie: "" } })).toBe(401);
    expect(await status("/api/folders/starts", { headers: { cookie: "" } })).toBe(401);
  }));

test("of very many folders the first are listed, and it is said how many more there are", () =>
  withFolders(async (server, at) => {
    for (let n = 0; n < 1100; n++) mkdirSync(at(`swept/inside/${n}`));
    const { folders, more } = await list(server, at("swept/inside"), "media");
    expect([folders.length, more, folders[999]!.name]).toEqual([1000, 100, "999"]);
  }));
