import { link, mkdir, rename, symlink, truncate, utimes, writeFile } from "node:fs/promises";
import path from "node:path";
import type { ListedMedia, MediaListing } from "@kinetocache/core";
import { withFolder, withServer, type TestServer } from "../../../../testing/server";

const CLIP = Uint8Array.from({ length: 300_000 }, (_, at) => (at * 7) & 255);

/** Runs with a registered media folder that holds `reel/one.mp4`, beside files that are none. */
function withMedia(use: (server: TestServer, folder: string, location: string) => Promise<void>): Promise<void> {
  return withServer((server) =>
    withFolder(async (folder) => {
      await mkdir(path.join(folder, "reel"));
      await writeFile(path.join(folder, "reel/one.mp4"), CLIP);
      await writeFile(path.join(folder, "notes.txt"), "none of them");
      const response = await server.send("POST", "/api/locations", { folder, holds: "media" });
      const { id } = (await response.json()) as { id: string };
      await use(server, folder, id);
    }),
  );
}

const list = (server: TestServer) => server.json<MediaListing>("/api/media");
const target = (location: string, below: string, about: Partial<ListedMedia> = {}) => {
  const { bytes, modifiedMs } = about;
  const expected = bytes === undefined ? "" : `&bytes=${bytes}&modifiedMs=${modifiedMs}`;
  return `/api/media/${location}?path=${encodeURIComponent(below)}${expected}`;
};
const range = (server: TestServer, at: string, from: number, to: number | "") =>
  server.ask(at, { headers: { Range: `bytes=${from}-${to}` } });

test("clips of registered folders are listed, and any stretch of them is read", () =>
  withMedia(async (server, folder, location) => {
    await writeFile(path.join(folder, "Überblick 2 & 3.WEBM"), "x");
    const { files, faults } = await list(server);
    expect(faults).toEqual([]);
    expect(files.map((file) => [file.path, file.bytes, file.location])).toEqual([
      ["reel/one.mp4", CLIP.length, location],
      ["Überblick 2 & 3.WEBM", 1, location],
    ]);
    const at = target(location, "reel/one.mp4", files[0]);
    const stretch = await range(server, at, 1000, 1999);
    expect([stretch.status, stretch.headers.get("content-range")]).toEqual([206, "bytes 1000-1999/300000"]);
    expect(new Uint8Array(await stretch.arrayBuffer())).toEqual(CLIP.slice(1000, 2000));
    expect(new Uint8Array(await (await range(server, at, 299_990, "")).arrayBuffer())).toEqual(CLIP.slice(299_990));
    expect(new Uint8Array(await (await server.ask(at)).arrayBuffer())).toEqual(CLIP);
    expect(await (await server.ask(target(location, files[1]!.path))).text()).toBe("x");
    expect((await range(server, at, 300_000, "")).status).toBe(416);
  }));

test("a file that was changed or removed since is refused, and said so", () =>
  withMedia(async (server, folder, location) => {
    const [file] = (await list(server)).files;
    const at = target(location, "reel/one.mp4", file);
    await utimes(path.join(folder, "reel/one.mp4"), 1e9, 1e9);
    expect(await server.refusal(at)).toMatchObject({ status: 409, title: "changed" });
    await rename(path.join(folder, "reel/one.mp4"), path.join(folder, "two.mp4"));
    expect(await server.refusal(at)).toMatchObject({ status: 404, detail: expect.stringContaining("not in") });
  }));

test("nothing outside a registered folder is read, whatever leads there", () =>
  withMedia((server, folder, location) =>
    withFolder(async (outside) => {
      const secret = path.join(outside, "secret.mp4");
      await writeFile(secret, "secret");
      await symlink(secret, path.join(folder, "link.mp4"));
      await symlink(outside, path.join(folder, "reel/out"));
      const paths = [
        "link.mp4",
        "reel/out/secret.mp4",
        `../${path.basename(outside)}/secret.mp4`,
        secret,
        "reel",
        "..",
      ];
      for (const below of paths)
        expect([below, (await server.refusal(target(location, below))).status]).toEqual([below, 403]);
      expect((await list(server)).files.map((file) => file.path)).toEqual(["reel/one.mp4"]);
      // A folder for frames is none for media, and one that nobody registered is not there.
      expect((await server.refusal(target("main", "volume.json"))).status).toBe(404);
      expect((await server.refusal(target("nowhere", "reel/one.mp4"))).status).toBe(404);
      expect((await server.refusal(`/api/media/${location}`)).status).toBe(400);
      // A second name of the same file is inside.
      await link(path.join(folder, "reel/one.mp4"), path.join(folder, "three.mp4"));
      expect((await server.ask(target(location, "three.mp4"))).status).toBe(200);
    }),
  ));

test("another page may not read media", () =>
  withMedia(async (server, _folder, location) => {
    const at = target(location, "reel/one.mp4");
    expect((await server.ask(at, { headers: { origin: "http://example.org" } })).status).toBe(403);
    expect((await server.ask(at, { headers: { cookie: "none=1" } })).status).toBe(401);
  }));

test("a file of many gigabytes is read in the middle at once", () =>
  withMedia(async (server, folder, location) => {
    const large = path.join(folder, "large.mov");
    await writeFile(large, "");
    await truncate(large, 40 * 2 ** 30);
    const stretch = await range(server, target(location, "large.mov"), 20 * 2 ** 30, 20 * 2 ** 30 + 9);
    expect((await stretch.arrayBuffer()).byteLength).toBe(10);
  }));

test("a folder that is gone is said, and the others are listed", () =>
  withMedia((server, folder) =>
    withFolder(async (other) => {
      await writeFile(path.join(other, "b.mkv"), "b");
      await server.send("POST", "/api/locations", { folder: other, holds: "media" });
      await rename(folder, `${folder}-away`);
      try {
        const { files, faults } = await list(server);
        expect(files.map((file) => file.path)).toEqual(["b.mkv"]);
        expect(faults).toEqual([expect.stringContaining(folder)]);
      } finally {
        await rename(`${folder}-away`, folder);
      }
    }),
  ));
