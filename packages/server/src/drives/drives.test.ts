import { spawn } from "node:child_process";
import { mkdirSync, symlinkSync, writeFileSync } from "node:fs";
import { readdir, writeFile } from "node:fs/promises";
import path from "node:path";
import type { Drive, DriveTest } from "@kinetocache/core";
import { withFolder, withServerIn, type TestServer } from "../../../../testing/server";
import { drivesOf, isInside } from "./drives";
import { REAL_MEDIUM } from "./medium";
import { removeLeftovers, testDrive } from "./driveTest";

const GIB = 2 ** 30;
const mounted = (fs: string, mount: string, type = "ext4", size = 100 * GIB) => ({
  fs,
  mount,
  type,
  size,
  used: size / 4,
  available: size / 2,
});

/** A `/sys` with made-up block devices. */
function withBlocks(
  devices: Readonly<Record<string, { rotational: 0 | 1; removable?: 1 }>>,
  use: (root: string) => void,
) {
  return withFolder((root) => {
    mkdirSync(path.join(root, "sys/class/block"), { recursive: true });
    for (const [name, { rotational, removable = 0 }] of Object.entries(devices)) {
      const disk = path.join(root, "disks", name);
      mkdirSync(path.join(disk, "queue"), { recursive: true });
      mkdirSync(path.join(disk, `${name}1`));
      writeFileSync(path.join(disk, "queue/rotational"), `${rotational}\n`);
      writeFileSync(path.join(disk, "removable"), `${removable}\n`);
      symlinkSync(path.join(disk, `${name}1`), path.join(root, "sys/class/block", `${name}1`));
    }
    use(root);
    return Promise.resolve();
  });
}

test("drives are told apart by what the system says of them", () =>
  withBlocks(
    { aa: { rotational: 0 }, bb: { rotational: 1 }, cc: { rotational: 0, removable: 1 }, vda: { rotational: 1 } },
    (root) => {
      const drives = drivesOf(
        [
          mounted("/dev/aa1", "/"),
          mounted("/dev/bb1", "/media/archive"),
          mounted("/dev/cc1", "/media/card"),
          mounted("server:/share", "/mnt/share", "nfs4"),
          mounted("tmpfs", "/tmp", "tmpfs"),
          mounted("overlay", "/odd", "overlay"),
          mounted("/dev/vda1", "/virtual"),
          mounted("proc", "/proc", "proc", 0),
        ],
        [{ id: "main", folder: "/media/archive/cache" }],
        root,
      );
      expect(
        drives.map(({ mount, kind, isSystem, locations }) => [mount, kind, isSystem, locations.includes("main")]),
      ).toEqual([
        ["/", "solid state", true, false],
        ["/media/archive", "spinning", false, true],
        ["/media/card", "removable", false, false],
        ["/mnt/share", "network", false, false],
        ["/tmp", "memory", false, false],
        ["/odd", "unknown", false, false],
        // It claims to be spinning, and is whatever its host has.
        ["/virtual", "unknown", false, false],
      ]);
    },
  ));

test("one device is one drive, however often it is mounted, and shows the place that holds the cache", () => {
  const twice = [mounted("/dev/zz1", "/"), mounted("/dev/zz1", "/home/bound"), mounted("/dev/yy1", "/media/other")];
  expect(drivesOf(twice, [{ id: "main", folder: "/var/cache" }]).map(({ mount }) => mount)).toEqual([
    "/",
    "/media/other",
  ]);
  expect(drivesOf(twice, [{ id: "main", folder: "/home/bound/cache" }])[0]).toMatchObject({
    mount: "/home/bound",
    locations: ["main"],
    isSystem: true,
  });
});

test("a folder is inside itself and above what lies in it, not beside it", () => {
  expect(isInside("/media/a", "/media/a")).toBe(true);
  expect(isInside("/media/a/b", "/media/a")).toBe(true);
  expect(isInside("/media/ab", "/media/a")).toBe(false);
  expect(isInside("/media", "/media/a")).toBe(false);
});

const never = new AbortController().signal;

test("a test writes, reads back, and leaves nothing behind", () =>
  withFolder(async (folder) => {
    const shares: number[] = [];
    const plan = { mount: "/", folder, frames: 6, frameBytes: 100_001, medium: REAL_MEDIUM };
    const result = await testDrive(plan, (share) => shares.push(share), never);
    expect(result).toMatchObject({ mount: "/", frames: 6, frameBytes: 100_001 });
    for (const figure of [result.readRate, result.writeRate, result.frameMs]) expect(figure).toBeGreaterThan(0);
    expect(shares).toEqual([...shares].sort((a, b) => a - b));
    expect(shares.at(-1)).toBe(1);
    expect(await readdir(folder)).toEqual([]);
  }));

test("ended half-way it leaves nothing behind either", () =>
  withFolder(async (folder) => {
    const ended = new AbortController();
    const half = testDrive(
      { mount: "/", folder, frames: 8, frameBytes: 50_000, medium: REAL_MEDIUM },
      (share) => share >= 0.5 && ended.abort(new Error("enough")),
      ended.signal,
    );
    await expect(half).rejects.toThrow("enough");
    expect(await readdir(folder)).toEqual([]);
  }));

test("what a killed server left is removed, and nothing of one that runs or of anybody else", () =>
  withFolder(async (folder) => {
    const gone = await new Promise<number>((resolve) => {
      const child = spawn(process.execPath, ["-e", ""]);
      child.once("exit", () => resolve(child.pid!));
    });
    const kept = [`.kinetocache-drive-test-${process.pid}-abcdef`, ".kinetocache-drive-test-notes", "frames"];
    for (const name of [`.kinetocache-drive-test-${gone}-abcdef`, ...kept]) {
      mkdirSync(path.join(folder, name));
      writeFileSync(path.join(folder, name, "0.bin"), "x");
    }
    await removeLeftovers(folder);
    expect((await readdir(folder)).sort()).toEqual([...kept].sort());
  }));

test("what would touch the last gigabyte, or cannot be written, is refused before anything is", () =>
  withFolder(async (folder) => {
    const huge = { mount: "/", folder, frames: 240, frameBytes: 2 ** 45, medium: REAL_MEDIUM };
    await expect(testDrive(huge, () => undefined, never)).rejects.toThrow("the last gigabyte of a drive is left alone");
    const missing = { mount: "/", folder: path.join(folder, "none"), frames: 4, frameBytes: 5000, medium: REAL_MEDIUM };
    await expect(testDrive(missing, () => undefined, never)).rejects.toThrow("cannot be written");
    expect(await readdir(folder)).toEqual([]);
  }));

const ask = (server: TestServer, body: object) =>
  server.ask("/api/drives/test", {
    method: "POST",
    headers: { "Content-Type": "application/json" },
    body: JSON.stringify(body),
  });

interface Listing {
  readonly drives: readonly Drive[];
  readonly tests: readonly DriveTest[];
}

test("the drive with the cache is listed and tested, progress is told, and the result is kept over a restart", () =>
  withFolder(async (data) => {
    const first = await withServerIn(data, async (server) => {
      const { drives } = await server.json<Listing>("/api/drives");
      const { mount } = drives.find(({ locations }) => locations.includes("main"))!;
      const lines = (await (await ask(server, { mount, frames: 8, frameBytes: 65_536 })).text()).trim().split("\n");
      const last = JSON.parse(lines.at(-1)!) as { test: DriveTest };
      expect(last.test).toMatchObject({ mount, frames: 8 });
      expect((await server.refusal("/api/drives/test", { method: "POST" })).status).toBe(400);
      const gone = await ask(server, { mount: "/no/such/drive", frames: 8, frameBytes: 65_536 });
      expect(gone.status).toBe(404);
      const elsewhere = await ask(server, { mount, folder: "/proc", frames: 8, frameBytes: 65_536 });
      expect(elsewhere.status).toBe(400);
      return last.test;
    });
    await withServerIn(data, async (server) => {
      expect((await server.json<Listing>("/api/drives")).tests).toEqual([first]);
    });
    await writeFile(path.join(data, "machine/drive-tests.json"), "[{");
    const complaint = jest.spyOn(console, "error").mockImplementation(() => undefined);
    await withServerIn(data, async (server) => {
      expect((await server.json<Listing>("/api/drives")).tests).toEqual([]);
    });
    expect(complaint.mock.calls[0]![0]).toContain("put aside");
    complaint.mockRestore();
  }));
