import { mkdirSync, symlinkSync } from "node:fs";
import { homedir } from "node:os";
import path from "node:path";
import type { FolderReport } from "@kinetocache/core";
import { TestServer, withFolder, withServerIn } from "../../../../testing/server";
import { isInside } from "../drives/drives";
import { systemFault } from "./systemFolders";

function withPlaces(use: (server: TestServer, at: (name: string) => string) => Promise<void>): Promise<void> {
  return withFolder(async (folder) => {
    const at = (name: string) => path.join(folder, name);
    for (const name of ["swept/inside", "frames", "media/inside", "projects", "free"])
      mkdirSync(at(name), { recursive: true });
    await withServerIn(at("data"), (server) => use(server, at));
  });
}

const sweep = (server: TestServer, folder: string, projects: readonly string[] = []) =>
  server.send("POST", "/api/sweep/folders", { folder, projects });
const locate = (server: TestServer, folder: string, holds: "frames" | "media") =>
  server.send("POST", "/api/locations", { folder, holds });

test("no folder is used for two things that do not go together, whichever comes first", () =>
  withPlaces(async (server, at) => {
    expect((await sweep(server, at("swept"), [at("projects")])).status).toBe(201);
    expect((await locate(server, at("frames"), "frames")).status).toBe(201);
    expect((await locate(server, at("media"), "media")).status).toBe(201);
    symlinkSync(at("swept"), at("link"));
    const refused = [
      () => sweep(server, at("swept")),
      () => sweep(server, at("swept/inside")),
      () => sweep(server, at("link/inside")),
      () => sweep(server, at("media/inside")),
      () => sweep(server, at("frames/frames")),
      () => sweep(server, at("free"), [at("frames")]),
      () => sweep(server, at("data")),
      () => locate(server, at("swept/inside"), "media"),
      () => locate(server, at("swept/inside"), "frames"),
      () => locate(server, at("swept/new"), "frames"),
      () => locate(server, at("link/new"), "frames"),
      () => locate(server, at("media/new"), "frames"),
      () => locate(server, at("data/new"), "frames"),
      () => locate(server, at("data/volume"), "media"),
      () => locate(server, path.dirname(at("x")), "media"),
    ];
    for (const [index, ask] of refused.entries()) {
      const { status } = await ask();
      expect([index, status]).toEqual([index, 409]);
    }
  }));

test("of many requests for one folder at once the first one has it", () =>
  withPlaces(async (server, at) => {
    const answers = await Promise.all([
      ...Array.from({ length: 8 }, () => sweep(server, at("free"))),
      ...Array.from({ length: 8 }, () => locate(server, at("free"), "media")),
    ]);
    expect(answers.filter(({ status }) => status === 201)).toHaveLength(1);
    expect((await server.json<FolderReport[]>("/api/sweep/folders")).length).toBeLessThanOrEqual(1);
  }));

test("a name that begins with two dots is inside", () => {
  expect(isInside("/a/..b", "/a")).toBe(true);
  expect(isInside("/a/..b/c", "/a")).toBe(true);
  expect(isInside("/b", "/a")).toBe(false);
  expect(isInside("/", "/a")).toBe(false);
});

test.each([
  "/",
  "/etc",
  "/etc/ssl",
  "/proc",
  "/proc/self",
  "/sys",
  "/dev",
  "/usr/share",
  "/var/lib",
  "/bin",
  homedir(),
])("%s is refused for every use", (folder) =>
  withPlaces(async (server, at) => {
    const asks = [
      () => sweep(server, folder),
      () => sweep(server, at("free"), [folder]),
      () => locate(server, folder, "media"),
      // A new folder in these two would be the user's own.
      ...(["/", homedir()].includes(folder) ? [] : [() => locate(server, path.join(folder, "new"), "frames")]),
    ];
    for (const ask of asks) expect((await ask()).status).toBe(400);
    expect(await server.json("/api/sweep/folders")).toEqual([]);
  }),
);

test("folders of the system are known on other systems too", async () => {
  for (const folder of ["/System/Library", "/Library", "/private/etc", "/Applications/A.app"])
    expect(await systemFault(folder, "darwin")).toMatch(/belongs to the system/);
  for (const folder of ["/Users/artist/caches", "/Volumes/fast/caches", "/private/var/folders/x"])
    expect(await systemFault(folder, "darwin")).toBeUndefined();
  for (const folder of ["/mnt/fast", "/media/artist/drive", "/run/media/artist/drive", "/srv/jobs", "/var/tmp/caches"])
    expect(await systemFault(folder, "linux")).toBeUndefined();
});
