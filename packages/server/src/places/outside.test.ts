import { existsSync, mkdirSync, readdirSync, rmSync, symlinkSync, writeFileSync } from "node:fs";
import path from "node:path";
import type { FolderReport } from "@kinetocache/core";
import { keyOf } from "../../../../testing/keys";
import { bindFolder, unmountDrive } from "../../../../testing/mounts";
import { driveTest } from "../../../../testing/privileged";
import { TestServer, withFolder, withServerIn } from "../../../../testing/server";
import { makeFiles } from "../../../../testing/sweeper";
import { differences, look, NAMES_OF_OURS, setUnread, writeOld } from "../../../../testing/untouched";

interface Scene {
  /** A path in the folder of the scene. */
  readonly at: (name: string) => string;
  /** Folder that nothing may touch. */
  readonly outside: string;
}

/** Data, a location and a tree of caches, beside a folder that holds what the application would look for in its own. */
function withScene(use: (scene: Scene) => Promise<void>): Promise<void> {
  return withFolder(async (folder) => {
    const at = (name: string) => path.join(folder, name);
    const outside = at("far/outside");
    for (const name of ["owner", "frames.txt", "x.gone/a", "media/a.mov", "0/0", "night-roost/a", "gathered.json"])
      writeOld(path.join(outside, name), `original ${name}`);
    makeFiles(at("root"), ["Flyway 101/logs/a.log", "Flyway 101/cache/b.exr"]);
    makeFiles(at("projects"), ["a.mov"]);
    const project = { format: "kinetocache-project", version: 1, name: "Flyway 101", media: [{ path: "a.mov" }] };
    writeFileSync(at("projects/Flyway 101.project.json"), JSON.stringify(project));
    setUnread(outside);
    const before = look(outside);
    await use({ at, outside });
    expect(differences(before, look(outside))).toEqual([]);
  });
}

const quietly = async (work: () => Promise<unknown>) => {
  const spies = (["warn", "error"] as const).map((name) =>
    jest.spyOn(console, name).mockImplementation(() => undefined),
  );
  try {
    await work();
  } finally {
    for (const spy of spies) spy.mockRestore();
  }
};

/** Does all there is to do with folders; what is refused is refused. */
async function actAll(server: TestServer, { at }: Scene): Promise<void> {
  const json = async <T>(target: string, method: string, body?: unknown) =>
    (await (await server.send(method, target, body)).json().catch(() => ({}))) as T;
  const registered = await json<FolderReport>("/api/sweep/folders", "POST", {
    folder: at("root"),
    projects: [at("projects")],
  });
  await json("/api/locations", "POST", { folder: at("location"), holds: "frames" });
  for (let n = 1; n < 4; n++) await server.store(keyOf(n), new Uint8Array(5_000_000));
  await json("/api/sweep/holds", "POST", { selection: [{ place: "main", ids: [keyOf(1)] }] });
  await json("/api/locations/main", "PUT", { capBytes: 16 * 2 ** 20, mayRemove: true });
  const described = { name: "Sky", kind: "bake", width: 2, height: 2, rate: { numerator: 24, denominator: 1 } };
  const rest = { depth: "8-bit", fileFormat: "qoi", frames: 2, gaps: [], about: "", location: "main" };
  const { id } = await json<{ id?: string }>("/api/sequences", "POST", { ...described, ...rest });
  if (id !== undefined) await server.ask(`/api/sequences/${id}`, { method: "DELETE" });
  if (registered.id) {
    await scanned(server, registered.id);
    await json("/api/sweep/holds", "POST", {
      selection: [{ place: registered.id, ids: ["Flyway 101/logs/a.log", "Flyway 101/cache"] }],
    });
  }
  const held = (await json<{ id: string }[] | object>("/api/sweep/holds", "GET")) as { id: string }[];
  for (const [index, batch] of (Array.isArray(held) ? held : []).entries())
    await json(`/api/sweep/holds/${batch.id}/${index % 2 === 0 ? "empty" : "restore"}`, "POST", {});
  const file = at("projects/Flyway 101.project.json");
  await json("/api/sweep/wrap", "POST", { file, target: at("gathered"), sweeps: false });
  await ended(server);
  await json("/api/sweep/gathered", "POST", { folder: at("gathered") });
  await json("/api/sweep/gathered/relink", "POST", { folder: at("gathered"), from: at("projects") });
}

async function ended(server: TestServer): Promise<void> {
  for (;;) {
    const jobs = await server.json<{ state: string }[]>("/api/jobs");
    if (jobs.every(({ state }) => state !== "running")) return;
    await new Promise((resolve) => setTimeout(resolve, 10));
  }
}

async function scanned(server: TestServer, id: string): Promise<void> {
  await server.send("POST", `/api/sweep/folders/${id}/scan`, { fresh: true });
  await ended(server);
}

/** What is in the way of everything else is tried by itself, all the rest at once. */
const ALONE = ["frames", "sequences", "holding", "temporary"];
const REST = [
  ...NAMES_OF_OURS.data.filter((name) => name !== "volume").map((name) => `data/${name}`),
  ...NAMES_OF_OURS.location
    .filter((name) => !ALONE.includes(name))
    .flatMap((name) => [`data/volume/${name}`, `location/${name}`]),
  ...NAMES_OF_OURS.root.filter((name) => name !== ".kinetocache-holding").map((name) => `root/${name}`),
];

test.each([
  ["data/volume"],
  ["root/.kinetocache-holding"],
  ...ALONE.map((name) => [`data/volume/${name}`, `location/${name}`]),
  REST,
])("a link at %s, a name of the application's own, is neither followed nor emptied", (...names) =>
  withScene((scene) =>
    quietly(async () => {
      const { at, outside } = scene;
      // What there is after a first run, but for what the links stand for.
      mkdirSync(at("location"));
      writeFileSync(at("location/kinetocache-location.json"), '{"id":"location"}');
      await withServerIn(at("data"), () => Promise.resolve());
      for (const target of ["", "owner"]) {
        for (const name of names) {
          rmSync(at(name), { recursive: true, force: true });
          mkdirSync(path.dirname(at(name)), { recursive: true });
          symlinkSync(path.join(outside, target), at(name));
        }
        await withServerIn(at("data"), (server) => actAll(server, scene));
        rmSync(at("gathered"), { recursive: true, force: true });
      }
    }),
  ),
);

test.each(NAMES_OF_OURS.gathered)("a link at %s of a gathered folder is not followed", (name) =>
  withScene((scene) =>
    quietly(async () => {
      const { at, outside } = scene;
      await withServerIn(at("data"), async (server) => {
        await actAll(server, scene);
        expect(readdirSync(at("gathered"))).toContain("gathered.json");
        rmSync(path.join(at("gathered"), "media"), { recursive: true, force: true });
        if (name.startsWith("media/")) mkdirSync(at("gathered/media"));
        for (const target of ["media", "owner"]) {
          rmSync(path.join(at("gathered"), name), { recursive: true, force: true });
          symlinkSync(path.join(outside, target), path.join(at("gathered"), name));
          await server.send("POST", "/api/sweep/gathered/relink", { folder: at("gathered"), from: at("projects") });
        }
      });
    }),
  ),
);

test("a link in the way of its own folders keeps a location from opening, and says why; the rest goes on", () =>
  withScene((scene) =>
    quietly(async () => {
      const { at, outside } = scene;
      await withServerIn(at("data"), () => Promise.resolve());
      rmSync(at("data/volume/frames"), { recursive: true });
      symlinkSync(outside, at("data/volume/frames"));
      await withServerIn(at("data"), async (server) => {
        const [main] = await server.json<{ condition: { kind: string; detail: string } }[]>("/api/locations");
        expect(main!.condition.kind).toBe("refused");
        expect(main!.condition.detail).toContain("volume/frames is a link or no folder");
        expect((await server.send("GET", "/api/sweep/folders", undefined)).status).toBe(200);
      });
    }),
  ));

driveTest("what is mounted in an item keeps it from being swept, and is not emptied where it came along", () =>
  withScene((scene) =>
    quietly(async () => {
      const { at, outside } = scene;
      const mounted = at("root/Flyway 101/cache/mounted");
      await withServerIn(at("data"), async (server) => {
        makeFiles(at("root"), ["Flyway 101/cache/b.exr", "Flyway 101/cache/mounted/c.exr"]);
        const { id } = (await (
          await server.send("POST", "/api/sweep/folders", { folder: at("root"), projects: [] })
        ).json()) as FolderReport;
        const hold = async () =>
          (await (
            await server.send("POST", "/api/sweep/holds", { selection: [{ place: id, ids: ["Flyway 101/cache"] }] })
          ).json()) as { batches: { id: string }[]; skipped: { reason: string }[] };
        await scanned(server, id);
        bindFolder(outside, mounted);
        try {
          expect((await hold()).skipped[0]?.reason).toContain("another drive is mounted");
          unmountDrive(mounted);
          const { batches, skipped } = await hold();
          expect(skipped).toEqual([]);
          const held = at(`root/.kinetocache-holding/${batches[0]!.id}/0/0/mounted`);
          bindFolder(outside, held);
          expect(await (await server.send("POST", `/api/sweep/holds/${batches[0]!.id}/empty`, {})).json()).toEqual({
            stayed: [{ path: "Flyway 101/cache", reason: "another drive is mounted in it" }],
          });
          unmountDrive(held);
          await server.send("POST", `/api/sweep/holds/${batches[0]!.id}/empty`, {});
          expect(existsSync(held)).toBe(false);
        } finally {
          unmountDrive(mounted);
        }
      });
    }),
  ),
);
