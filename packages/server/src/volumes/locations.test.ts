import { spawnSync } from "node:child_process";
import { mkdirSync, symlinkSync, writeFileSync } from "node:fs";
import { link, mkdir, readdir, readFile, rename, rm, symlink, writeFile } from "node:fs/promises";
import { homedir } from "node:os";
import path from "node:path";
import type { JobStatus } from "../jobs/jobs";
import { keyOf } from "../../../../testing/keys";
import { mountDrive, unmountDrive } from "../../../../testing/mounts";
import { driveTest } from "../../../../testing/privileged";
import { TestServer, withFolder, withServerIn } from "../../../../testing/server";
import { Folder } from "../files/folder";
import { ownIdentity } from "../machine/identity";
import type { LocationState } from "./locations";

const content = (n: number, size = 5000) => new Uint8Array(Buffer.alloc(size, `frame ${n} `));

/** A server, and a folder beside its data for locations. */
function withPlaces(use: (server: TestServer, place: string) => Promise<void>): Promise<void> {
  return withFolder(async (folder) => {
    mkdirSync(path.join(folder, "places"));
    await withServerIn(path.join(folder, "data"), (server) => use(server, path.join(folder, "places")));
  });
}

const register = async (server: TestServer, folder: string, holds = "frames") => {
  const response = await server.send("POST", "/api/locations", { folder, holds });
  if (response.status !== 201) throw new Error(((await response.json()) as { detail: string }).detail);
  return (await response.json()) as LocationState;
};
const put = (server: TestServer, location: string, n: number, size?: number) =>
  server.ask(`/api/locations/${location}/frames/${keyOf(n)}?owner=night-roost&format=pam&costMs=80`, {
    method: "PUT",
    body: content(n, size) as BodyInit,
  });
const get = (server: TestServer, n: number) => server.ask(`/api/frames/${keyOf(n)}`);
const bytesOf = async (response: Response) => Buffer.from(await response.arrayBuffer());
const list = (server: TestServer) => server.json<LocationState[]>("/api/locations");
const stateOf = async (server: TestServer, id: string) => (await list(server)).find((one) => one.id === id)!;

test("a registered folder takes frames, which are read by their key alone, also after a restart", () =>
  withFolder(async (folder) => {
    const data = path.join(folder, "data");
    const id = await withServerIn(data, async (server) => {
      // The last folder of the path is made.
      const { id } = await register(server, path.join(folder, "fast"));
      expect((await put(server, id, 1)).status).toBe(204);
      return id;
    });
    await withServerIn(data, async (server) => {
      const response = await get(server, 1);
      expect(response.headers.get("x-location")).toBe(id);
      expect(Buffer.compare(await bytesOf(response), content(1))).toBe(0);
      expect(await stateOf(server, id)).toMatchObject({ condition: { kind: "open" }, volume: { frames: 1 } });
      expect((await server.ask(`/api/locations/${id}`, { method: "DELETE" })).status).toBe(204);
      expect((await get(server, 1)).status).toBe(404);
      expect(await readdir(path.join(folder, "fast/frames/night-roost"))).toHaveLength(1);
      // The same folder is the same location again, with its frames.
      expect((await register(server, path.join(folder, "fast"))).id).toBe(id);
      expect((await get(server, 1)).status).toBe(200);
    });
  }));

test("folders that do not fit are refused with what would be right, and nothing is written to them", () =>
  withPlaces(async (server, place) => {
    mkdirSync(path.join(place, "full"));
    writeFileSync(path.join(place, "full/client.mov"), "original");
    writeFileSync(path.join(place, "file"), "x");
    await register(server, path.join(place, "taken"));
    const refusals = [
      ["relative/path", 400, "a full path is needed"],
      [path.join(place, "no/such"), 404, "make it first"],
      [path.join(place, "full"), 409, "holds other files; choose an empty folder"],
      [path.join(place, "file"), 400, "is not a folder"],
      [path.join(place, "taken"), 409, "choose a folder beside it"],
      [path.join(place, "taken/inside"), 409, "choose a folder beside it"],
      [place, 409, "choose a folder beside it"],
      [path.join(server.data, "volume"), 409, "overlaps the application's own data"],
      ["/", 400, "too much"],
      [homedir(), 400, "too much"],
    ] as const;
    for (const [folder, status, words] of refusals) {
      const response = await server.send("POST", "/api/locations", { folder, holds: "frames" });
      expect([folder, response.status]).toEqual([folder, status]);
      expect(((await response.json()) as { detail: string }).detail).toContain(words);
    }
    expect(await readdir(path.join(place, "full"))).toEqual(["client.mov"]);
    expect(await readdir(place)).toEqual(["file", "full", "taken"]);
    const body = await server.send("POST", "/api/locations", { folder: "/tmp", holds: "everything" });
    expect(body.status).toBe(400);
  }));

test("a folder of media is listed and never written", () =>
  withPlaces(async (server, place) => {
    mkdirSync(path.join(place, "media"));
    writeFileSync(path.join(place, "media/nest.mov"), "original");
    const { id } = await register(server, path.join(place, "media"), "media");
    expect(await stateOf(server, id)).toMatchObject({ holds: "media", condition: { kind: "open" } });
    expect((await put(server, id, 1)).status).toBe(503);
    expect(await readdir(path.join(place, "media"))).toEqual(["nest.mov"]);
    // A path that was mistyped is no reason to make a folder.
    const typo = { folder: path.join(place, "meida"), holds: "media" };
    expect((await server.send("POST", "/api/locations", typo)).status).toBe(404);
    expect(await readdir(place)).toEqual(["media"]);
  }));

test("a drive that is removed is told, the others go on, and it is there again when it is back", () =>
  withPlaces(async (server, place) => {
    const { id } = await register(server, path.join(place, "drive"));
    await put(server, id, 1);
    await put(server, "main", 2);
    await rename(path.join(place, "drive"), path.join(place, "unplugged"));
    expect((await put(server, id, 3)).status).toBe(503);
    expect((await get(server, 1)).status).toBe(404);
    expect((await stateOf(server, id)).condition).toMatchObject({ kind: "missing" });
    // The empty place where the drive is attached is not taken for it.
    await mkdir(path.join(place, "drive"));
    expect((await stateOf(server, id)).condition).toMatchObject({ kind: "missing" });
    expect(await readdir(path.join(place, "drive"))).toEqual([]);
    expect((await get(server, 2)).status).toBe(200);
    await rm(path.join(place, "drive"), { recursive: true });
    await rename(path.join(place, "unplugged"), path.join(place, "drive"));
    // Several tabs ask at once; it is opened once.
    const states = await Promise.all([1, 2, 3, 4].map(() => stateOf(server, id)));
    for (const { condition, volume } of states) expect([condition.kind, volume!.frames]).toEqual(["open", 1]);
    expect((await get(server, 1)).status).toBe(200);
    expect((await put(server, id, 3)).status).toBe(204);
    expect(await stateOf(server, id)).toMatchObject({ volume: { frames: 2 } });
  }));

test("what passes, such as too many open files, closes no location and clears nothing", () =>
  withPlaces(async (server, place) => {
    const { id } = await register(server, path.join(place, "cache"));
    await put(server, id, 1);
    await server.send("PUT", `/api/locations/${id}`, { clearOnClose: true });
    const fault = jest.spyOn(Folder.prototype, "enter").mockImplementation(() => {
      throw Object.assign(new Error("EMFILE: too many open files"), { code: "EMFILE" });
    });
    expect((await stateOf(server, id)).condition).toMatchObject({ kind: "refused" });
    fault.mockRestore();
    expect((await stateOf(server, id)).condition).toEqual({ kind: "open" });
    expect((await get(server, 1)).status).toBe(200);
    // And a drive that really is gone is not cleared either.
    await rename(path.join(place, "cache"), path.join(place, "unplugged"));
    expect((await stateOf(server, id)).condition).toMatchObject({ kind: "missing" });
    expect(await readdir(path.join(place, "unplugged/frames/night-roost"))).toHaveLength(1);
  }));

test("a location that another process has is told, with the process, and the rest goes on", () =>
  withFolder(async (folder) => {
    const data = path.join(folder, "data");
    const id = await withServerIn(data, async (server) => (await register(server, path.join(folder, "shared"))).id);
    const other = async () => {
      await mkdir(path.join(folder, "shared/owner.lock"));
      await writeFile(
        path.join(folder, "shared/owner"),
        JSON.stringify({ ...ownIdentity(), pid: process.ppid, startedTicks: undefined }),
      );
    };
    await other();
    await withServerIn(data, async (server) => {
      const { condition } = await stateOf(server, id);
      expect(condition).toMatchObject({ kind: "in use" });
      expect((condition as { detail: string }).detail).toContain(`in use by process ${process.ppid}`);
      expect((await put(server, "main", 1)).status).toBe(204);
      await rm(path.join(folder, "shared/owner.lock"), { recursive: true });
      expect((await stateOf(server, id)).condition).toEqual({ kind: "open" });
      // The same is said to whoever wants to add it.
      await server.ask(`/api/locations/${id}`, { method: "DELETE" });
      await other();
      const again = await server.send("POST", "/api/locations", {
        folder: path.join(folder, "shared"),
        holds: "frames",
      });
      expect(await again.json()).toMatchObject({ status: 409, title: "in-use" });
    });
  }));

describe("what is put in the way", () => {
  test("links in a location are neither followed nor written through, and nothing outside is touched", () =>
    withPlaces(async (server, place) => {
      const { id } = await register(server, path.join(place, "cache"));
      mkdirSync(path.join(place, "outside"));
      writeFileSync(path.join(place, "outside/original.txt"), "mine");
      // The folder of an owner is a link to outside.
      symlinkSync(path.join(place, "outside"), path.join(place, "cache/frames/night-roost"));
      const answer = await put(server, id, 1);
      expect([answer.status, ((await answer.json()) as { title: string }).title]).toEqual([409, "not-a-folder"]);
      expect(await readdir(path.join(place, "outside"))).toEqual(["original.txt"]);
      await rm(path.join(place, "cache/frames/night-roost"));
      // A frame's file is replaced by a link.
      await put(server, id, 2);
      const [name] = await readdir(path.join(place, "cache/frames/night-roost"));
      const file = path.join(place, "cache/frames/night-roost", name!);
      await writeFile(path.join(place, "outside/frame"), content(2));
      await rm(file);
      await symlink(path.join(place, "outside/frame"), file);
      expect((await get(server, 2)).status).toBe(404);
      expect(Buffer.compare(await readFile(path.join(place, "outside/frame")), content(2))).toBe(0);
    }));

  test("a file that is replaced by another, by a folder or by a pipe is noticed", () =>
    withPlaces(async (server, place) => {
      const { id } = await register(server, path.join(place, "cache"));
      const folder = path.join(place, "cache/frames/night-roost");
      for (const n of [1, 2, 3, 4]) await put(server, id, n);
      const fileOf = async (n: number) =>
        path.join(
          folder,
          (await readdir(folder)).find((name) => name.startsWith(keyOf(n)))!,
        );
      const [one, two, three] = [await fileOf(1), await fileOf(2), await fileOf(3)];
      await rm(one);
      await link(await fileOf(4), one);
      await rm(two);
      await mkdir(two);
      await rm(three);
      expect(spawnSync("mkfifo", [three]).status).toBe(0);
      for (const n of [1, 2, 3])
        expect(await server.refusal(`/api/frames/${keyOf(n)}`)).toMatchObject({ status: 404, title: "damaged" });
      expect(Buffer.compare(await bytesOf(await get(server, 4)), content(4))).toBe(0);
      for (const n of [1, 2, 3]) {
        expect((await get(server, n)).status).toBe(404);
      }
      expect((await put(server, id, 1)).status).toBe(204);
      expect(Buffer.compare(await bytesOf(await get(server, 1)), content(1))).toBe(0);
    }));

  driveTest("a folder that becomes read-only is read from, and refuses frames in words", () =>
    withPlaces(async (server, place) => {
      const drive = path.join(place, "drive");
      mkdirSync(drive);
      expect(mountDrive(drive, "2G")).toBe(true);
      try {
        const { id } = await register(server, path.join(drive, "cache"));
        expect((await put(server, id, 1)).status).toBe(204);
        expect(spawnSync("mount", ["-o", "remount,ro", drive]).status).toBe(0);
        const answer = await put(server, id, 2);
        expect([answer.status, ((await answer.json()) as { title: string }).title]).toEqual([403, "read-only"]);
        expect((await get(server, 1)).status).toBe(200);
        expect(spawnSync("mount", ["-o", "remount,rw", drive]).status).toBe(0);
        expect((await put(server, id, 2)).status).toBe(204);
        await server.ask(`/api/locations/${id}`, { method: "DELETE" });
      } finally {
        unmountDrive(drive);
      }
    }),
  );

  const isRoot = process.geteuid?.() === 0;
  (isRoot ? test : test.skip)("a folder whose permission is refused says so, and is used again when it is given", () =>
    withPlaces(async (server, place) => {
      const { id } = await register(server, path.join(place, "cache"));
      expect((await put(server, id, 1)).status).toBe(204);
      // Root is never refused.
      process.seteuid!("nobody");
      try {
        expect(await (await put(server, id, 2)).json()).toMatchObject({ status: 403, title: "not-writable" });
      } finally {
        process.seteuid!(0);
      }
      expect((await put(server, id, 2)).status).toBe(204);
    }),
  );
});

const jobs = (server: TestServer) => server.json<JobStatus[]>("/api/jobs");

async function jobEnded(server: TestServer): Promise<JobStatus> {
  for (;;) {
    const [job] = await jobs(server);
    if (job && !["running", "paused"].includes(job.state)) return job;
    await new Promise((resolve) => setTimeout(resolve, 20));
  }
}

describe("moving frames", () => {
  const COUNT = 30;

  async function filled(server: TestServer, place: string): Promise<string> {
    for (let n = 0; n < COUNT; n++) await put(server, "main", n);
    return (await register(server, path.join(place, "new"))).id;
  }

  test("takes all of them, while each can be read at every moment", () =>
    withPlaces(async (server, place) => {
      const to = await filled(server, place);
      expect((await server.send("POST", "/api/locations/main/move", { to })).status).toBe(202);
      let isUnderWay = true;
      const ended = jobEnded(server).finally(() => (isUnderWay = false));
      let reads = 0;
      while (isUnderWay)
        for (let n = 0; n < COUNT; n++, reads++)
          expect(Buffer.compare(await bytesOf(await get(server, n)), content(n))).toBe(0);
      expect(reads).toBeGreaterThanOrEqual(COUNT);
      expect(await ended).toMatchObject({ state: "done", detail: `${COUNT} of ${COUNT} frames` });
      expect(await stateOf(server, "main")).toMatchObject({ volume: { frames: 0, bytes: 0 } });
      expect(await stateOf(server, to)).toMatchObject({ volume: { frames: COUNT } });
      expect(await readdir(path.join(server.data, "volume/frames/night-roost"))).toEqual([]);
    }));

  test("is told as it goes on to whoever follows it", () =>
    withPlaces(async (server, place) => {
      const to = await filled(server, place);
      const ender = new AbortController();
      const headers = { accept: "text/event-stream" };
      const response = await server.ask("/api/jobs", { headers, signal: ender.signal });
      await server.send("POST", "/api/locations/main/move", { to });
      const told: JobStatus[] = [];
      const reader = response.body!.getReader();
      for (let chunk = await reader.read(); !chunk.done; chunk = await reader.read()) {
        for (const [, list] of Buffer.from(chunk.value)
          .toString()
          .matchAll(/^data: (.*)$/gm))
          told.push(...(JSON.parse(list!) as JobStatus[]));
        if (told.at(-1)?.state === "done") break;
      }
      ender.abort();
      const shares = told.map(({ progress }) => progress);
      expect(shares).toEqual([...shares].sort((a, b) => a - b));
      expect(told.at(-1)).toMatchObject({ state: "done", progress: 1 });
    }));

  test("leaves a damaged frame behind, and says so", () =>
    withPlaces(async (server, place) => {
      const to = await filled(server, place);
      const folder = path.join(server.data, "volume/frames/night-roost");
      const [first] = (await readdir(folder)).sort();
      await writeFile(path.join(folder, first!), "torn");
      await server.send("POST", "/api/locations/main/move", { to });
      expect(await jobEnded(server)).toMatchObject({
        state: "done",
        detail: `${COUNT} of ${COUNT} frames; 1 were damaged and are rendered again`,
      });
      expect(await stateOf(server, to)).toMatchObject({ volume: { frames: COUNT - 1 } });
    }));

  test("stops where the new place is full, with the reason; what was moved stays moved", () =>
    withPlaces(async (server, place) => {
      for (let n = 0; n < 6; n++) await put(server, "main", n, 4 * 2 ** 20);
      const to = (await register(server, path.join(place, "small"))).id;
      await server.send("PUT", `/api/locations/${to}`, { capBytes: 16 * 2 ** 20 });
      await server.send("POST", "/api/locations/main/move", { to });
      const job = await jobEnded(server);
      expect(job).toMatchObject({ state: "failed", detail: expect.stringContaining("has reached its cap") as string });
      expect(await stateOf(server, to)).toMatchObject({ volume: { frames: 4 } });
      for (let n = 0; n < 6; n++)
        expect(Buffer.compare(await bytesOf(await get(server, n)), content(n, 4 * 2 ** 20))).toBe(0);
    }));

  test("goes on when a drive that was absent at the start is back", () =>
    withFolder(async (folder) => {
      const data = path.join(folder, "data");
      const to = await withServerIn(data, async (server) => {
        const id = await filled(server, folder);
        await server.send("POST", "/api/locations/main/move", { to: id });
        return id;
      });
      await rename(path.join(folder, "new"), path.join(folder, "unplugged"));
      await withServerIn(data, async (server) => {
        expect((await stateOf(server, to)).condition).toMatchObject({ kind: "missing" });
        expect(await jobs(server)).toEqual([]);
        await rename(path.join(folder, "unplugged"), path.join(folder, "new"));
        expect(await jobEnded(server)).toMatchObject({ state: "done" });
        expect(await stateOf(server, to)).toMatchObject({ volume: { frames: COUNT } });
      });
    }));

  test("whose end cannot be noted ends all the same, and the server goes on", () =>
    withPlaces(async (server, place) => {
      const to = await filled(server, place);
      await server.send("POST", "/api/locations/main/move", { to });
      // In the way of the name under which the note is written first.
      mkdirSync(path.join(server.data, "moves.json.new"));
      const warn = jest.spyOn(console, "warn").mockImplementation(() => undefined);
      expect(await jobEnded(server)).toMatchObject({ state: "done" });
      expect(await stateOf(server, to)).toMatchObject({ volume: { frames: COUNT } });
      warn.mockRestore();
    }));

  test("goes on after the server was stopped in the middle of it", () =>
    withFolder(async (folder) => {
      const data = path.join(folder, "data");
      const to = await withServerIn(data, async (server) => {
        const id = await filled(server, folder);
        await server.send("POST", "/api/locations/main/move", { to: id });
        return id;
      });
      await withServerIn(data, async (server) => {
        await jobEnded(server);
        expect(await stateOf(server, to)).toMatchObject({ volume: { frames: COUNT } });
        expect(await stateOf(server, "main")).toMatchObject({ volume: { frames: 0 } });
      });
      expect(JSON.parse(await readFile(path.join(data, "moves.json"), "utf8"))).toMatchObject({ content: [] });
    }));

  test("does not keep the server from closing while it is paused, and goes on at the next start", () =>
    withFolder(async (folder) => {
      const data = path.join(folder, "data");
      const to = await withServerIn(data, async (server) => {
        const id = await filled(server, folder);
        const started = await server.send("POST", "/api/locations/main/move", { to: id });
        const { job } = (await started.json()) as { job: string };
        expect((await server.send("POST", `/api/jobs/${job}`, { wish: "pause" })).status).toBe(204);
        return id;
      });
      await withServerIn(data, async (server) => {
        expect((await jobEnded(server)).state).toBe("done");
        expect(await stateOf(server, to)).toMatchObject({ volume: { frames: COUNT } });
      });
    }));

  test("can be paused, resumed and cancelled, and makes no sense to itself", () =>
    withPlaces(async (server, place) => {
      const to = await filled(server, place);
      const move = (body: object) => server.send("POST", "/api/locations/main/move", body);
      expect((await move({ to: "main" })).status).toBe(400);
      expect((await move({ to: "nowhere" })).status).toBe(404);
      const { job } = (await (await move({ to })).json()) as { job: string };
      const steer = (wish: string) => server.send("POST", `/api/jobs/${job}`, { wish });
      expect((await steer("pause")).status).toBe(204);
      const [paused] = await jobs(server);
      expect(paused!.state).toBe("paused");
      expect((await move({ to })).status).toBe(409);
      expect((await server.ask(`/api/locations/${to}`, { method: "DELETE" })).status).toBe(409);
      expect((await steer("cancel")).status).toBe(204);
      expect((await jobEnded(server)).state).toBe("cancelled");
      expect((await steer("resume")).status).toBe(409);
      expect((await steer("fly")).status).toBe(400);
      const states = await list(server);
      const frames = states.reduce((sum, { volume }) => sum + (volume?.frames ?? 0), 0);
      expect(frames).toBe(COUNT);
    }));
});

test("what is to be cleared on close is gone after it, and after a crash at the next start", () =>
  withFolder(async (data) => {
    await withServerIn(data, async (server) => {
      await put(server, "main", 1);
      await server.send("PUT", "/api/locations/main", { clearOnClose: true });
    });
    expect(await readdir(path.join(data, "volume/frames/night-roost"))).toEqual([]);
    await withServerIn(data, async (server) => {
      expect(await server.keys()).toEqual([]);
      await server.send("PUT", "/api/locations/main", { clearOnClose: false });
      await put(server, "main", 2);
    });
    await writeFile(path.join(data, "volume/settings.json"), '{"clearOnClose":true}');
    await withServerIn(data, async (server) => expect(await server.keys()).toEqual([]));
  }));

test("frames that are quickest to render again go first where that is the rule", () =>
  withFolder(async (data) => {
    const MIB = 2 ** 20;
    await withServerIn(data, async (server) => {
      await server.send("PUT", "/api/locations/main", { rule: "quickest to render again" });
      for (const [n, costMs] of [500, 20, 300, 30, 400, 350].entries())
        await server.store(keyOf(n), content(n, 4 * MIB), { costMs });
      await server.send("PUT", "/api/locations/main", { capBytes: 16 * MIB, mayRemove: true });
      expect((await server.keys()).map(([key]) => key).sort()).toEqual([0, 2, 4, 5].map(keyOf));
    });
  }));

test("which location frames were swept from is told, and they go back to it", () =>
  withPlaces(async (server, place) => {
    const { id } = await register(server, path.join(place, "cache"));
    await put(server, id, 1);
    await put(server, "main", 2);
    const hold = async (...selection: { place: string; ids: string[] }[]) =>
      (await (await server.send("POST", "/api/sweep/holds", { selection })).json()) as {
        batches: { id: string; place: string }[];
      };
    const [first, second] = [
      { place: id, ids: [keyOf(1)] },
      { place: "main", ids: [keyOf(2)] },
    ];
    const { batches } = await hold(first, second);
    expect(batches.map(({ place: from }) => from)).toEqual([id, "main"]);
    for (const batch of batches) await server.send("POST", `/api/sweep/holds/${batch.id}/restore`, {});
    const items = await server.json<{ key: string; location: string }[]>("/api/sweep/items");
    expect(Object.fromEntries(items.map(({ key, location }) => [key, location]))).toEqual({
      [keyOf(1)]: id,
      [keyOf(2)]: "main",
    });
    expect((await hold(first)).batches).toHaveLength(1);
    expect((await get(server, 2)).status).toBe(200);
  }));

test("the list of locations is put aside where it is damaged, and the main one is there", () =>
  withFolder(async (data) => {
    await withServerIn(data, () => Promise.resolve());
    await writeFile(path.join(data, "locations.json"), '[{"id":"../../x"');
    const complaint = jest.spyOn(console, "error").mockImplementation(() => undefined);
    await withServerIn(data, async (server) => expect((await list(server)).map(({ id }) => id)).toEqual(["main"]));
    expect(complaint.mock.calls[0]![0]).toContain("put aside");
    complaint.mockRestore();
  }));
