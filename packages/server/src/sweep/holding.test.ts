import { fork, type ChildProcess } from "node:child_process";
import { readdir, writeFile } from "node:fs/promises";
import path from "node:path";
import { keyOf } from "../../../../testing/keys";
import { TestServer, withFolder } from "../../../../testing/server";
import { parseName } from "../volumes/frameFile";
import type { Batch } from "./holding";

const content = (n: number) => Uint8Array.from({ length: 3000 }, (_, i) => (i + n) & 255);
const json = (body: unknown): RequestInit => ({
  method: "POST",
  headers: { "content-type": "application/json" },
  body: JSON.stringify(body),
});

async function filled(folder: string, count: number): Promise<TestServer> {
  const server = await TestServer.start(folder);
  for (let n = 0; n < count; n++) await server.store(keyOf(n), content(n));
  return server;
}

const hold = (server: TestServer, frames: readonly number[]) =>
  server.json<Batch[]>("/api/sweep/holds", json({ keys: frames.map(keyOf) })).then(([batch]) => batch!);
const heldKeys = async (server: TestServer) =>
  (await server.keys()).map(([key]) => Number.parseInt(key, 16)).sort((a, b) => a - b);
const batches = (server: TestServer) => server.json<Batch[]>("/api/sweep/holds");

/** Keys found anywhere below a folder, each as often as it is there. */
async function keysBelow(folder: string): Promise<number[]> {
  const names = await readdir(folder, { recursive: true }).catch(() => []);
  return names.flatMap((name) => {
    const frame = parseName(path.basename(name));
    return frame ? [Number.parseInt(frame.key, 16)] : [];
  });
}

test("swept frames go to holding, come back, go again, and are gone once it is emptied", () =>
  withFolder(async (folder) => {
    const server = await filled(folder, 6);
    const batch = await hold(server, [1, 2, 3]);
    expect(batch).toMatchObject({ frames: 3, bytes: 3 * 4096, rebuildMs: 240, owners: ["night-roost"] });
    expect(await heldKeys(server)).toEqual([0, 4, 5]);
    expect(await server.volume()).toMatchObject({ bytes: 3 * 4096, holdingBytes: 3 * 4096 });

    expect((await server.ask(`/api/sweep/holds/${batch.id}/restore`, { method: "POST" })).status).toBe(204);
    expect(await heldKeys(server)).toEqual([0, 1, 2, 3, 4, 5]);
    expect(await batches(server)).toEqual([]);
    expect(new Uint8Array(await (await server.ask(`/api/frames/${keyOf(2)}`)).arrayBuffer())).toEqual(content(2));

    const again = await hold(server, [1, 2]);
    expect((await server.ask(`/api/sweep/holds/${again.id}`, { method: "DELETE" })).status).toBe(204);
    expect(await server.volume()).toMatchObject({ frames: 4, holdingBytes: 0 });
    expect((await keysBelow(folder)).sort()).toEqual([0, 3, 4, 5]);
    await server.close();
  }));

test("holding is still there after a restart, and can be brought back then", () =>
  withFolder(async (folder) => {
    const first = await filled(folder, 4);
    const batch = await hold(first, [0, 3]);
    await first.close();
    const second = await TestServer.start(folder);
    expect(await batches(second)).toEqual([batch]);
    await second.ask(`/api/sweep/holds/${batch.id}/restore`, { method: "POST" });
    expect(await heldKeys(second)).toEqual([0, 1, 2, 3]);
    await second.close();
  }));

test("a frame rendered anew meanwhile is not doubled by bringing the old one back", () =>
  withFolder(async (folder) => {
    const server = await filled(folder, 2);
    const batch = await hold(server, [0, 1]);
    await server.store(keyOf(1), content(1));
    await server.ask(`/api/sweep/holds/${batch.id}/restore`, { method: "POST" });
    expect((await keysBelow(folder)).sort()).toEqual([0, 1]);
    expect(await server.volume()).toMatchObject({ frames: 2, bytes: 8192, holdingBytes: 0 });
    await server.close();
  }));

test("what is not there, or not a key, is refused and moves nothing", () =>
  withFolder(async (folder) => {
    const server = await filled(folder, 1);
    expect(await server.refusal("/api/sweep/holds", json({ keys: [keyOf(9)] }))).toMatchObject({
      status: 404,
      title: "nothing-to-sweep",
    });
    expect(await server.refusal("/api/sweep/holds", json({ keys: ["../../etc/passwd"] }))).toMatchObject({
      status: 400,
    });
    expect(await server.refusal("/api/sweep/holds", json({}))).toMatchObject({
      status: 400,
      detail: expect.stringMatching(/keys/),
    });
    for (const id of ["1", "..%2f..", "1700000000000-00000000"]) {
      expect(await server.refusal(`/api/sweep/holds/${id}`, { method: "DELETE" })).toMatchObject({
        status: 404,
        title: "no-batch",
      });
    }
    expect(await heldKeys(server)).toEqual([0]);
    await server.close();
  }));

test("a cap below what holding takes is refused", () =>
  withFolder(async (folder) => {
    const server = await TestServer.start(folder);
    await server.store(keyOf(1), new Uint8Array(20 * 2 ** 20));
    await hold(server, [1]);
    const answer = await server.refusal("/api/locations/main", { ...json({ capBytes: 16 * 2 ** 20 }), method: "PUT" });
    expect(answer).toMatchObject({ status: 409, title: "holding-too-large" });
    await server.close();
  }));

test("an interrupted move is finished at the next start, whatever was done of it; half a line is forgotten", () =>
  withFolder(async (folder) => {
    const first = await filled(folder, 4);
    const { id: batch } = await hold(first, [0, 1]);
    await first.close();
    const files = (await readdir(path.join(folder, "volume/frames/night-roost"))).map((name) =>
      path.join("night-roost", name),
    );
    const intent = { begin: { id: "a", kind: "hold", batch, files } };
    await writeFile(
      path.join(folder, "volume/holding.journal"),
      `${JSON.stringify(intent)}\n{"begin":{"id":"b","kind":"empty","ba`,
    );
    const second = await TestServer.start(folder);
    expect(await heldKeys(second)).toEqual([]);
    expect((await batches(second))[0]).toMatchObject({ id: batch, frames: 4 });
    await second.close();
  }));

test("a journal that names other files than frames is refused before anything is touched", () =>
  withFolder(async (folder) => {
    await (await filled(folder, 1)).close();
    const begin = { id: "a", kind: "empty", batch: "1700000000000-00000000", files: ["../../../outside"] };
    await writeFile(path.join(folder, "volume/holding.journal"), `${JSON.stringify({ begin })}\n`);
    await expect(TestServer.start(folder)).rejects.toThrow("is not a frame");
  }));

/** Runs a server in a process of its own that can be killed. */
async function startProcess(folder: string): Promise<{ child: ChildProcess; address: string }> {
  const child = fork(path.join(process.cwd(), "packages/server/src/main.ts"), ["--data", folder, "--port", "0"], {
    execArgv: ["--import", "tsx"],
    silent: true,
  });
  const address = await new Promise<string>((resolve, reject) => {
    child.stdout!.on("data", (data: Buffer) => {
      const match = /at (http:\S+)/.exec(String(data));
      if (match) resolve(match[1]!);
    });
    child.once("exit", (code) => reject(new Error(`The server ended with ${code}`)));
  });
  return { child, address };
}

test(
  "killed at any instant of a move, every frame is afterwards in exactly one place",
  () =>
    withFolder(async (folder) => {
      const COUNT = 400;
      await (await filled(folder, COUNT)).close();
      const everything = Array.from({ length: COUNT }, (_, n) => n);
      for (const delayMs of [0, 2, 5, 9, 15]) {
        const { child, address } = await startProcess(folder);
        const ask = (target: string, init: RequestInit) =>
          fetch(address + target, { ...init, headers: { ...init.headers, origin: address } });
        const existing = (await (await ask("/api/sweep/holds", {})).json()) as Batch[];
        const keys = ((await (await ask("/api/frames", {})).json()) as { frames: [string, number][] }[])[0]!.frames;
        // Back and forth by turns, so that both directions are interrupted.
        const move =
          existing.length > 0
            ? ask(`/api/sweep/holds/${existing[0]!.id}/restore`, { method: "POST" })
            : ask("/api/sweep/holds", json({ keys: keys.map(([key]) => key) }));
        const interrupted = move.catch(() => undefined);
        await new Promise((resolve) => setTimeout(resolve, delayMs));
        const ended = new Promise((resolve) => child.once("exit", resolve));
        child.kill("SIGKILL");
        await ended;
        await interrupted;
        const recovered = await TestServer.start(folder);
        const inPlace = await keysBelow(path.join(folder, "volume/frames"));
        const inHolding = await keysBelow(path.join(folder, "volume/holding"));
        expect([...inPlace, ...inHolding].sort((a, b) => a - b)).toEqual(everything);
        // No move is left half done.
        expect([0, COUNT]).toContain(inPlace.length);
        expect(await heldKeys(recovered)).toEqual(inPlace.sort((a, b) => a - b));
        await recovered.close();
      }
    }),
  120_000,
);
