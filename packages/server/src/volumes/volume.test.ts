import { spawnSync } from "node:child_process";
import { mkdtempSync, rmSync } from "node:fs";
import { mkdir, readdir, readFile, rm, truncate, utimes, writeFile } from "node:fs/promises";
import { request } from "node:http";
import { tmpdir } from "node:os";
import path from "node:path";
import { Readable } from "node:stream";
import { crc32 } from "node:zlib";
import { RECENT_MS } from "@kinetocache/core";
import fc from "fast-check";
import { keyOf } from "../../../../testing/keys";
import { withFolder, withServer, TestServer } from "../../../../testing/server";
import { REAL_MEDIUM } from "../drives/medium";
import { Folder } from "../files/folder";
import { allocatedBytes, nameOf, parseName } from "./frameFile";
import { ownIdentity } from "../machine/identity";
import { Volume } from "./volume";

const MIB = 2 ** 20;
const content = (n: number, size = 5000) =>
  new Uint8Array(
    Buffer.alloc(
      size,
      Uint8Array.from({ length: 251 }, (_, i) => (i * 7 + n) & 255),
    ),
  );

const frameFilesIn = async (folder: string, owner = "night-roost") =>
  (await readdir(path.join(folder, "frames", owner))).map((name) => path.join(folder, "frames", owner, name));
const frameFiles = ({ data }: TestServer, owner?: string) => frameFilesIn(path.join(data, "volume"), owner);
const bytesOf = async (response: Response) => new Uint8Array(await response.arrayBuffer());

test("names say all and are read back", () => {
  fc.assert(
    fc.property(
      fc.integer({ min: 0, max: 0xffffffff }),
      fc.integer({ min: 0, max: 999_999_999 }),
      fc.constantFrom("pam", "qoi", "exr"),
      (crc, costMs, format) => {
        const name = { key: keyOf(crc), crc, costMs, format: format as "pam" };
        expect(parseName(nameOf(name))).toEqual(name);
      },
    ),
  );
  for (const name of [
    "x.pam",
    `${keyOf(1)}.pam`,
    `../${nameOf({ key: keyOf(1), crc: 1, costMs: 1, format: "pam" })}`,
    `${keyOf(1)}-00000001-5.exe`,
  ]) {
    expect(parseName(name)).toBeUndefined();
  }
});

test("a stored frame is a plain file in its format, and comes back byte for byte", () =>
  withServer(async (server) => {
    expect((await server.store(keyOf(1), content(1))).status).toBe(204);
    const [file] = await frameFiles(server);
    expect(path.basename(file!)).toBe(nameOf({ key: keyOf(1), crc: crc32(content(1)), costMs: 80, format: "pam" }));
    expect(new Uint8Array(await readFile(file!))).toEqual(content(1));
    const response = await server.ask(`/api/frames/${keyOf(1)}`);
    expect(response.headers.get("x-frame-format")).toBe("pam");
    expect(await bytesOf(response)).toEqual(content(1));
    expect(await server.volume()).toMatchObject({ frames: 1, bytes: 8192, holdingBytes: 0 });
  }));

test("a truncated or altered file is noticed, removed and never sent", () =>
  withServer(async (server) => {
    await server.store(keyOf(1), content(1));
    await server.store(keyOf(2), content(2));
    const files = await frameFiles(server);
    await truncate(
      files.find((file) => file.includes(keyOf(1)))!,
      4000,
    );
    const altered = content(2);
    altered[2500]! ^= 1;
    await writeFile(
      files.find((file) => file.includes(keyOf(2)))!,
      altered,
    );
    for (const n of [1, 2])
      expect(await server.refusal(`/api/frames/${keyOf(n)}`)).toMatchObject({ status: 404, title: "damaged" });
    expect(await frameFiles(server)).toEqual([]);
    expect(await server.refusal(`/api/frames/${keyOf(1)}`)).toMatchObject({ status: 404, title: "not-held" });
    expect(await server.volume()).toMatchObject({ frames: 0, bytes: 0 });
  }));

test("the index is rebuilt from the folder after a restart, and what is no frame is left alone", () =>
  withFolder(async (folder) => {
    const first = await TestServer.start(folder);
    for (let n = 0; n < 5; n++) await first.store(keyOf(n), content(n), { costMs: 10 * n });
    await writeFile(path.join(folder, "volume/frames/night-roost/notes.txt"), "mine");
    await first.close();
    await writeFile(path.join(folder, "volume/temporary/77"), "half a frame");
    const second = await TestServer.start(folder);
    expect((await second.keys()).sort()).toEqual([0, 1, 2, 3, 4].map((n) => [keyOf(n), 10 * n]));
    expect(await bytesOf(await second.ask(`/api/frames/${keyOf(3)}`))).toEqual(content(3));
    expect(await readdir(path.join(folder, "volume/temporary"))).toEqual([]);
    expect(await readFile(path.join(folder, "volume/frames/night-roost/notes.txt"), "utf8")).toBe("mine");
    await second.close();
  }));

test("damaged settings are put aside, and the rest goes on", () =>
  withFolder(async (folder) => {
    const first = await TestServer.start(folder);
    await first.send("PUT", "/api/locations/main", { capBytes: 64 * MIB });
    await first.close();
    const again = await TestServer.start(folder);
    expect(await again.volume()).toMatchObject({ capBytes: 64 * MIB });
    await again.close();
    await writeFile(path.join(folder, "volume/settings.json"), '{"capBytes": -');
    const warn = jest.spyOn(console, "error").mockImplementation(() => undefined);
    const third = await TestServer.start(folder);
    expect(await third.volume()).toMatchObject({ capBytes: 20 * 2 ** 30 });
    expect(warn.mock.calls[0]![0]).toMatch(/settings\.json could not be read and was put aside/);
    warn.mockRestore();
    await third.close();
  }));

test("a second process is told that the volume is in use; one left behind by a crash is taken over", () =>
  withFolder(async (folder) => {
    const volume = await Volume.open(folder);
    await expect(Volume.open(folder)).rejects.toThrow(
      `is in use by process ${process.pid}; stop it, or choose another folder`,
    );
    await volume.close();
    expect((await readdir(folder)).filter((name) => name.startsWith("owner"))).toEqual([]);
    const own = ownIdentity();
    const left = async (identity: object) => {
      await mkdir(path.join(folder, "owner.lock"), { recursive: true });
      await writeFile(path.join(folder, "owner"), JSON.stringify(identity));
    };
    // The number of a process that ended may be another one's by now.
    for (const gone of [
      { ...own, startedTicks: 1 },
      { ...own, boot: "before" },
      { ...own, pid: 999_999_999 },
    ]) {
      await left(gone);
      await (await Volume.open(folder)).close();
    }
    // On a share numbers mean nothing: only a lease that has run out does.
    const far = { ...own, machine: "another", pid: 999_999_999 };
    await left(far);
    await expect(Volume.open(folder)).rejects.toThrow("is in use by another machine");
    await utimes(path.join(folder, "owner.lock"), 1000, Date.now() / 1000 - 60);
    await (await Volume.open(folder)).close();
  }));

test("of many that take over at once only one has the volume", () =>
  withFolder(async (folder) => {
    const gone = { ...ownIdentity(), pid: 999_999_999 };
    for (let round = 0; round < 5; round++) {
      await mkdir(path.join(folder, "owner.lock"), { recursive: true });
      await writeFile(path.join(folder, "owner"), JSON.stringify(gone));
      const attempts = await Promise.allSettled(Array.from({ length: 6 }, () => Volume.open(folder)));
      const opened = attempts.flatMap((one) => (one.status === "fulfilled" ? [one.value] : []));
      expect(opened).toHaveLength(1);
      await opened[0]!.close();
    }
  }));

test("what is only announced takes no frame's place", () =>
  withServer(async (server) => {
    await server.send("PUT", "/api/locations/main", { capBytes: 64 * MIB });
    for (let n = 0; n < 10; n++) await server.store(keyOf(n), content(n, 5 * MIB));
    const clock = jest.spyOn(Date, "now").mockReturnValue(Date.now() + 2 * RECENT_MS);
    const announce = (size: number) =>
      new Promise<number | string>((resolve) => {
        const sent = request(
          `${server.server.origin}/api/locations/main/frames/${keyOf(99)}?owner=night-roost&format=pam&costMs=1`,
          { method: "PUT", headers: { ...server.headers, "content-length": size } },
          (response) => (response.resume(), resolve(response.statusCode!)),
        );
        sent.on("error", ({ message }) => resolve(message));
        sent.write("x");
        setTimeout(() => sent.destroy(), 500);
      });
    expect(await announce(60 * MIB)).not.toBe(204);
    // More than ever fits is refused before anything comes.
    expect(await announce(1000 * MIB)).toBe(507);
    clock.mockRestore();
    expect((await server.volume()).frames).toBe(10);
    expect(await readdir(path.join(server.data, "volume/temporary"))).toEqual([]);
  }));

test("whoever sends what there is no room for hears that, wherever in the middle of it that shows", () =>
  withServer(async (server) => {
    await server.send("PUT", "/api/locations/main", { capBytes: 16 * MIB });
    const body = content(1, 5 * MIB);
    const answers: number[] = [];
    const send = async (writer: number) => {
      for (let n = 0; n < 40; n++) {
        const sent = body.subarray(0, MIB + ((n * 7 + writer) % 13) * 300_001);
        answers.push((await server.store(keyOf(100 * writer + n), sent)).status);
      }
    };
    await Promise.all(Array.from({ length: 8 }, (_, writer) => send(writer)));
    expect(new Set(answers)).toEqual(new Set([204, 507]));
    expect(answers).toHaveLength(320);
  }));

test("a lower cap says what it takes, and holds that once it may go, beyond the cap", () =>
  withServer(async (server) => {
    for (let n = 0; n < 6; n++) await server.store(keyOf(n), content(n, 5 * MIB));
    const capBytes = 16 * MIB;
    const about = await (await server.send("POST", "/api/locations/main/cap", { capBytes })).json();
    expect(about).toEqual({ frames: 3, bytes: 3 * allocatedBytes(5 * MIB), isHeld: true });
    const put = (body: object) => server.send("PUT", "/api/locations/main", body);
    const refused = (await (await put({ capBytes })).json()) as { title: string; detail: string };
    expect(refused.title).toBe("would-remove");
    expect(refused.detail).toContain("3 frames");
    expect(await server.volume()).toMatchObject({ frames: 6, capBytes: 20 * 2 ** 30 });
    for (const nonsense of [-5 * 2 ** 30, 0, 1, 2 ** 60, NaN, "much"])
      expect([nonsense, (await put({ capBytes: nonsense, mayRemove: true })).status]).toEqual([nonsense, 400]);
    expect((await put({ capBytes, mayRemove: true })).status).toBe(200);
    const held = { holdingBytes: 3 * 5 * MIB, beyondCapBytes: 3 * 5 * MIB };
    expect(await server.volume()).toMatchObject({ frames: 3, capBytes, ...held });
    const history = await server.json<object[]>("/api/sweep/history");
    expect(history).toMatchObject([{ what: "swept", by: "a lower cap", items: 3, bytes: 3 * 5 * MIB }]);
    // The cap is that of what is in use: frames go on being stored in it.
    const clock = jest.spyOn(Date, "now").mockReturnValue(Date.now() + 2 * RECENT_MS);
    expect((await server.store(keyOf(9), content(9, 5 * MIB))).status).toBe(204);
    clock.mockRestore();
    expect((await server.volume()).frames).toBe(3);
  }));

test("what a lower cap held is brought back as far as a cap has room for it, also after a restart", () =>
  withServer(async (first) => {
    for (let n = 0; n < 6; n++) await first.store(keyOf(n), content(n, 5 * MIB));
    await first.send("PUT", "/api/locations/main", { capBytes: 16 * MIB, mayHold: true });
    await first.close();
    const server = await TestServer.start(first.data);
    const [batch] = await server.json<{ id: string; items: number }[]>("/api/sweep/holds");
    const restore = async () => {
      const answer = await server.send("POST", `/api/sweep/holds/${batch!.id}/restore`, {});
      return (await answer.json()) as { stayed: object[] };
    };
    expect(await server.volume()).toMatchObject({ frames: 3, beyondCapBytes: 3 * 5 * MIB });
    const noRoom = { reason: "the cap has no room for it" };
    expect(await restore()).toMatchObject({ stayed: [noRoom, noRoom, noRoom] });
    await server.send("PUT", "/api/locations/main", { capBytes: 26 * MIB });
    expect(await restore()).toMatchObject({ stayed: [noRoom] });
    expect(await server.volume()).toMatchObject({ frames: 5, beyondCapBytes: 5 * MIB });
    await server.close();
  }));

test("where the drive has no room to let it wait, what a lower cap takes goes for good, and that is said", () =>
  withFolder(async (folder) => {
    const medium = { ...REAL_MEDIUM, freeBytes: () => Promise.resolve(2 ** 29) };
    const volume = await Volume.open(folder, { keptFree: 0, medium });
    const frame = { key: keyOf(1), owner: "a", format: "pam", costMs: 1, size: 20 * MIB } as const;
    await volume.write(frame, Readable.from([content(1, 20 * MIB)]));
    expect(await volume.room.takenBy(16 * MIB)).toMatchObject({ frames: 1, isHeld: true });
    await volume.leaveAsItIs();
    const short = await Volume.open(folder, { keptFree: 2 ** 30, medium });
    expect(await short.room.takenBy(16 * MIB)).toMatchObject({ frames: 1, isHeld: false });
    // Neither nothing that was said nor that they may wait lets them go for good.
    for (const may of [{}, { mayHold: true }])
      await expect(short.change({ capBytes: 16 * MIB }, undefined, may)).rejects.toThrow(/removed for good/);
    await short.leaveAsItIs();
  }));

describe("the cap", () => {
  const setCap = (server: TestServer, capBytes: number) =>
    server.send("PUT", "/api/locations/main", { capBytes, mayRemove: true });
  const state = (server: TestServer) => server.volume();

  test("frames used long ago make room; frames in use do not, and the newcomer is refused", () =>
    withServer(async (server) => {
      await setCap(server, 16 * MIB);
      for (let n = 0; n < 4; n++) await server.store(keyOf(n), content(n, 4 * MIB));
      expect((await state(server)).frames).toBe(4);
      expect(await (await server.store(keyOf(9), content(9, 4 * MIB))).json()).toMatchObject({
        status: 507,
        title: "cap-reached",
      });
      await server.close();
      // Without the index, the times of the files tell when they were used.
      await rm(path.join(server.data, "volume/index.bin"));
      const old = (Date.now() - 2 * RECENT_MS) / 1000;
      for (const file of await frameFiles(server)) if (file.includes(keyOf(2))) await utimes(file, old, old);
      const again = await TestServer.start(server.data);
      expect((await again.store(keyOf(9), content(9, 4 * MIB))).status).toBe(204);
      expect((await again.keys()).map(([key]) => key).sort()).toEqual([0, 1, 3, 9].map(keyOf));
      await again.close();
    }));

  test("what cannot be removed is still held, and others make room in its place", () =>
    withServer(async (server) => {
      await setCap(server, 16 * MIB);
      for (let n = 0; n < 4; n++) await server.store(keyOf(n), content(n, 4 * MIB));
      const real = Folder.prototype.removed;
      const denied = Object.assign(new Error("denied"), { code: "EACCES" });
      const removed = jest.spyOn(Folder.prototype, "removed").mockImplementation(function (this: Folder, name) {
        return name.includes(keyOf(0)) ? Promise.reject(denied) : real.call(this, name);
      });
      const late = Date.now() + 2 * RECENT_MS;
      const now = jest.spyOn(Date, "now").mockReturnValue(late);
      try {
        expect((await server.store(keyOf(8), content(8, 4 * MIB))).status).toBe(403);
        expect((await server.store(keyOf(9), content(9, 4 * MIB))).status).toBe(204);
        expect((await server.keys()).map(([key]) => key).sort()).toEqual([0, 2, 3, 9].map(keyOf));
      } finally {
        removed.mockRestore();
        now.mockRestore();
      }
    }));

  test("a folder in a frame's place is not the application's: it stays, and the frame is gone", () =>
    withServer(async (server) => {
      await server.store(keyOf(1), content(1));
      const [file] = await frameFiles(server);
      await rm(file!);
      await mkdir(path.join(file!, "inside"), { recursive: true });
      expect((await server.ask(`/api/locations/main/frames/${keyOf(1)}`, { method: "DELETE" })).status).toBe(204);
      expect(await server.keys()).toEqual([]);
      expect(await readdir(file!)).toEqual(["inside"]);
    }));

  test("it holds while many frames are written at once", () =>
    withServer(async (server) => {
      await setCap(server, 16 * MIB);
      const statuses = (
        await Promise.all(Array.from({ length: 24 }, (_, n) => server.store(keyOf(n), content(n, 2 * MIB))))
      ).map((response) => response.status);
      expect(statuses.filter((status) => status === 204).length).toBeGreaterThan(0);
      expect(statuses.every((status) => status === 204 || status === 507)).toBe(true);
      const onDisk = (
        await Promise.all((await frameFiles(server)).map(async (file) => allocatedBytes((await readFile(file)).length)))
      ).reduce((a, b) => a + b, 0);
      expect(onDisk).toBeLessThanOrEqual(16 * MIB);
      expect((await state(server)).bytes).toBe(onDisk);
    }));

  test("a lower cap takes effect at once, the least recently used going first", () =>
    withServer(async (server) => {
      for (let n = 0; n < 6; n++) await server.store(keyOf(n), content(n, 4 * MIB));
      await server.ask(`/api/frames/${keyOf(0)}`);
      expect((await setCap(server, 16 * MIB)).status).toBe(200);
      expect((await server.keys()).map(([key]) => key).sort()).toEqual([0, 3, 4, 5].map(keyOf));
    }));

  test("absurd caps are refused with what would be right", () =>
    withServer(async (server) => {
      for (const capBytes of [-1, 0, 1.5, "lots", null]) {
        const body = JSON.stringify({ capBytes });
        const answer = await server.refusal("/api/locations/main", {
          method: "PUT",
          headers: { "content-type": "application/json" },
          body,
        });
        expect(answer).toMatchObject({ status: 400, title: "invalid", detail: expect.stringMatching(/capBytes/) });
      }
      expect(
        await server.refusal("/api/locations/main", {
          method: "PUT",
          headers: { "content-type": "application/json" },
          body: "{",
        }),
      ).toMatchObject({ status: 400 });
    }));
});

test("hostile paths and queries change nothing", () =>
  withServer(async (server) => {
    const put = (target: string) => server.refusal(target, { method: "PUT", body: content(1) as BodyInit });
    expect(await put("/api/locations/main/frames/..%2f..%2fetc?owner=a&format=pam&costMs=1")).toMatchObject({
      status: 400,
      detail: expect.stringMatching(/32 hexadecimal digits/),
    });
    for (const query of [
      "owner=..&format=pam&costMs=1",
      "owner=a%2fb&format=pam&costMs=1",
      "owner=a&format=exe&costMs=1",
      "owner=a&format=pam&costMs=NaN",
      "owner=a&format=pam",
    ]) {
      expect(await put(`/api/locations/main/frames/${keyOf(1)}?${query}`)).toMatchObject({
        status: 400,
        title: "invalid",
      });
    }
    expect(await server.keys()).toEqual([]);
    expect(await readdir(path.join(server.data, "volume/frames"))).toEqual([]);
  }));

test("two tabs that store the same frame at once leave one intact file", () =>
  withServer(async (server) => {
    const statuses = await Promise.all(Array.from({ length: 6 }, () => server.store(keyOf(5), content(5, MIB))));
    expect(statuses.every((response) => response.status === 204)).toBe(true);
    expect(await frameFiles(server)).toHaveLength(1);
    expect(Buffer.compare(await bytesOf(await server.ask(`/api/frames/${keyOf(5)}`)), content(5, MIB))).toBe(0);
    expect(await server.volume()).toMatchObject({ frames: 1, bytes: MIB });
  }));

test("many frames stored by several tabs at once, each with its own idea of the cost, are each counted once", () =>
  withServer(async (server) => {
    const keys = Array.from({ length: 40 }, (_, n) => keyOf(n));
    await Promise.all(
      keys.flatMap((key, n) => [40, 50, 60].map((costMs) => server.store(key, content(n, 4096), { costMs }))),
    );
    expect(await frameFiles(server)).toHaveLength(keys.length);
    expect(await server.volume()).toMatchObject({ frames: keys.length, bytes: keys.length * 4096 });
  }));

describe("a drive that is really full", () => {
  const MIB_FRAME = { owner: "night-roost", format: "pam", costMs: 1, size: MIB } as const;
  async function* chunks(n: number) {
    yield await Promise.resolve(content(n, MIB));
  }
  /** Puts a small drive on a folder; not every user may. */
  const attach = (folder: string) =>
    spawnSync("mount", ["-t", "tmpfs", "-o", "size=12M", "tmpfs", folder]).status === 0;
  const detach = (folder: string) => spawnSync("umount", [folder]);
  const tried = mkdtempSync(path.join(tmpdir(), "kinetocache-drive-"));
  const attached = attach(tried) ? test : test.skip;
  detach(tried);
  rmSync(tried, { recursive: true });

  attached(
    "refuses the frame that does not fit, keeps the others whole, and takes frames again when there is room",
    () =>
      withFolder(async (folder) => {
        expect(attach(folder)).toBe(true);
        try {
          const volume = await Volume.open(folder, { keptFree: 0 });
          const write = (n: number) => volume.write({ ...MIB_FRAME, key: keyOf(n) }, chunks(n));
          let stored = 0;
          await expect(
            (async () => {
              for (; stored < 20; stored++) await write(stored);
            })(),
          ).rejects.toMatchObject({ code: expect.stringMatching(/ENOSPC|drive-full/) as string });
          expect(stored).toBeGreaterThan(8);
          expect((await volume.state()).frames).toBe(stored);
          expect(await readdir(path.join(folder, "temporary"))).toEqual([]);
          for (let n = 0; n < stored; n++)
            expect(Buffer.compare((await volume.read(keyOf(n))).content, content(n, MIB))).toBe(0);
          await rm((await frameFilesIn(folder))[0]!);
          await write(99);
          expect(Buffer.compare((await volume.read(keyOf(99))).content, content(99, MIB))).toBe(0);
          await volume.close();
          const reopened = await Volume.open(folder, { keptFree: 0 });
          expect((await reopened.state()).frames).toBe(stored);
          await reopened.close();
        } finally {
          detach(folder);
        }
      }),
  );

  test("before it comes to that, the last gigabyte is left to the system", () =>
    withFolder(async (folder) => {
      const { freeBytes } = await (await Volume.open(folder)).state();
      const volume = await Volume.open(path.join(folder, "second"), { keptFree: freeBytes * 2 });
      await expect(volume.write({ ...MIB_FRAME, key: keyOf(1) }, chunks(1))).rejects.toMatchObject({
        status: 507,
        code: "drive-full",
      });
      expect((await volume.state()).frames).toBe(0);
    }));
});
