import { mkdir, writeFile } from "node:fs/promises";
import path from "node:path";
import { keyOf } from "../../../../testing/keys";
import { withFolder, withServer } from "../../../../testing/server";
import { SimulatedDrive, SimulatedDrives, type DriveModel } from "./simulatedDrive";

const MIB = 2 ** 20;
const GIB = 2 ** 30;

const model: DriveModel = {
  name: "made up",
  kind: "spinning",
  totalBytes: GIB,
  otherBytes: GIB / 4,
  readRate: 10 * MIB,
  writeRate: 5 * MIB,
  latencyMs: 10,
  seekMs: 20,
};

/** Runs with a drive on a clock of the test's own, and how long transfers take on it. */
function withDrive(
  change: Partial<DriveModel>,
  use: (drive: SimulatedDrive, timed: (...sizes: readonly number[]) => Promise<number>) => Promise<void>,
): Promise<void> {
  return withFolder(async (folder) => {
    jest.useFakeTimers();
    try {
      const drive = new SimulatedDrive("made-up", folder, { ...model, ...change });
      const timed = async (...sizes: readonly number[]) => {
        const start = performance.now();
        const all = Promise.all(sizes.map((size) => drive.transfer("read", size, () => Promise.resolve())));
        await jest.runAllTimersAsync();
        await all;
        return performance.now() - start;
      };
      await use(drive, timed);
    } finally {
      jest.useRealTimers();
    }
  });
}

test("a transfer takes its latency and its bytes over the rate", () =>
  withDrive({}, async (_drive, timed) => {
    // 1 MB at 10 MB a second, after 10 ms.
    expect(await timed(MIB)).toBeCloseTo(110, -1);
  }));

test("transfers at once go one after the other, and a spinning drive seeks between them", () =>
  withDrive({}, async (_drive, timed) => {
    expect(await timed(MIB, MIB, MIB)).toBeCloseTo(3 * 110 + 2 * 20, -1);
  }));

test("a drive that stalls does so every so many transfers", () =>
  withDrive({ stall: { everyTransfers: 3, ms: 900 } }, async (_drive, timed) => {
    expect(await timed(MIB)).toBeCloseTo(110, -1);
    expect(await timed(MIB)).toBeCloseTo(110, -1);
    expect(await timed(MIB)).toBeCloseTo(1010, -1);
    expect(await timed(MIB)).toBeCloseTo(110, -1);
  }));

test("what is on a drive takes of its capacity", () =>
  withFolder(async (folder) => {
    const drive = new SimulatedDrive("made-up", folder, model);
    expect(await drive.freeBytes()).toBe(0.75 * GIB);
    let [half, whole] = [GIB / 2, GIB];
    const leave = drive.occupy(() => half);
    expect(await drive.freeBytes()).toBe(GIB / 4);
    const over = drive.occupy(() => whole);
    expect(await drive.freeBytes()).toBe(0);
    whole = 0;
    over();
    half = 0;
    leave();
    expect(await drive.freeBytes()).toBe(0.75 * GIB);
  }));

test("what lies on a drive takes its room, whether a folder of it is registered or not", () =>
  withFolder(async (folder) => {
    await mkdir(path.join(folder, "caches/deep"), { recursive: true });
    await writeFile(path.join(folder, "caches/deep/a"), Buffer.alloc(3 * MIB));
    const drive = new SimulatedDrive("made-up", folder, model);
    await drive.count();
    const free = 0.75 * GIB - 3 * MIB;
    expect(await drive.freeBytes()).toBe(free);
    expect((await drive.describe([])).usedBytes).toBe(0.25 * GIB + 3 * MIB);
    let bytes = 3 * MIB;
    const leave = drive.occupy(() => bytes);
    expect(await drive.freeBytes()).toBe(free);
    bytes += MIB;
    expect(await drive.freeBytes()).toBe(free - MIB);
    leave();
    expect(await drive.freeBytes()).toBe(free - MIB);
  }));

test("a model that is not one is refused, with its name", () =>
  withFolder(async (folder) => {
    await mkdir(path.join(folder, "models"));
    await writeFile(path.join(folder, "models/odd.json"), JSON.stringify({ format: "kinetocache-drive", version: 1 }));
    await expect(SimulatedDrives.open(path.join(folder, "models"), path.join(folder, "drives"))).rejects.toThrow(
      /odd\.json: "name" is required/,
    );
  }));

test("the drives that ship are listed as simulated, take locations, and refuse what does not fit on them", () =>
  withServer(async (server) => {
    interface Listed {
      readonly mount: string;
      readonly device: string;
      readonly simulated: boolean;
      readonly freeBytes: number;
      readonly locations: readonly string[];
    }
    const drives = async () =>
      (await server.json<{ drives: Listed[] }>("/api/drives")).drives.filter(({ simulated }) => simulated);
    expect((await drives()).map(({ device }) => device)).toEqual([
      "Fast solid state drive",
      "Network share",
      "Slower solid state drive",
      "Spinning drive",
    ]);
    const [fast] = await drives();
    const body = { folder: path.join(fast!.mount, "frames"), holds: "frames" };
    const { id } = (await (await server.send("POST", "/api/locations", body)).json()) as { id: string };
    const put = (n: number) =>
      server.ask(`/api/locations/${id}/frames/${keyOf(n)}?owner=main&format=pam&costMs=1`, {
        method: "PUT",
        body: new Uint8Array(MIB) as BodyInit,
      });
    expect((await put(1)).status).toBe(204);
    const [now] = await drives();
    expect(now!.locations).toEqual([id]);
    expect(fast!.freeBytes - now!.freeBytes).toBe(MIB);
  }));
