import { readdir, readFile, truncate } from "node:fs/promises";
import path from "node:path";
import type { Depth } from "@kinetocache/core";
import { keyOf, TestServer, withFolder } from "../../../../testing/server";
import { DiskClient, type HeldPicture } from "./diskClient";

const BYTES: Readonly<Record<Depth, number>> = { "8-bit": 4, half: 8, float: 16 };

/** A picture whose bytes are valid at its depth: halves and floats are finite. */
function picture(depth: Depth, width = 7, height = 5): HeldPicture {
  const pixels = new Uint8Array(width * height * BYTES[depth]);
  if (depth === "float") new Float32Array(pixels.buffer).forEach((_, i, all) => (all[i] = i / 8 - 3));
  else if (depth === "half") new Uint16Array(pixels.buffer).forEach((_, i, all) => (all[i] = 0x3000 + i * 13));
  else pixels.forEach((_, i) => (pixels[i] = (i * 37) & 255));
  return { width, height, depth, pixels };
}

/** Runs with a server that the client's relative addresses reach. */
async function withClient(run: (client: DiskClient, server: TestServer) => Promise<void>): Promise<void> {
  await withFolder(async (folder) => {
    const server = await TestServer.start(folder);
    const reached = jest
      .spyOn(globalThis, "fetch")
      .mockImplementation((target, init) =>
        original(new URL(String(target), server.server.address), withOrigin(server, init)),
      );
    try {
      await run(new DiskClient(), server);
    } finally {
      reached.mockRestore();
      await server.close();
    }
  });
}

const original = globalThis.fetch;
const withOrigin = (server: TestServer, init: RequestInit = {}): RequestInit => {
  const headers = new Headers(init.headers);
  headers.set("origin", server.server.address);
  return { ...init, headers };
};

async function names({ data }: TestServer): Promise<string[]> {
  const folder = path.join(data, "volume/frames/night-roost");
  return (await readdir(folder)).map((name) => path.join(folder, name));
}

const change = (server: TestServer, settings: object) =>
  original(
    `${server.server.address}/api/volume`,
    withOrigin(server, {
      method: "PUT",
      headers: { "Content-Type": "application/json" },
      body: JSON.stringify(settings),
    }),
  );

test.each([
  ["8-bit", false, ".pam"],
  ["8-bit", true, ".qoi"],
  ["half", false, ".exr"],
  ["half", true, ".exr"],
  ["float", false, ".exr"],
] as const)("a frame at %s, packed: %s, is a %s file and comes back as it was", (depth, packed, extension) =>
  withClient(async (client, server) => {
    expect((await change(server, { packed })).status).toBe(200);
    expect(await client.list()).toEqual({ ok: true, value: [] });
    const stored = picture(depth);
    const answer = await client.store(keyOf(1), "night-roost", stored, 41.6);
    const [file] = await names(server);
    expect(path.extname(file!)).toBe(extension);
    expect(answer).toEqual({ ok: true, value: (await readFile(file!)).length });
    const fetched = await client.fetch(keyOf(1));
    if (!fetched.ok) throw new Error(fetched.failure.detail);
    expect(fetched.value).toMatchObject({ width: 7, height: 5, depth });
    expect(Buffer.compare(fetched.value.pixels, stored.pixels)).toBe(0);
    expect(await client.list()).toEqual({ ok: true, value: [[keyOf(1), 42]] });
  }),
);

test("frames of any sizes, one after the other and two at once, each come back as they were", () =>
  withClient(async (client) => {
    const sizes = [4, 90, 5, 60, 61, 3, 90];
    const pictures = sizes.map((width) => picture("8-bit", width, width));
    for (const [index, stored] of pictures.entries()) await client.store(keyOf(index), "night-roost", stored, 40);
    const fetched = [];
    for (const index of sizes.keys()) fetched.push(await client.fetch(keyOf(index)));
    fetched.push(...(await Promise.all([client.fetch(keyOf(1)), client.fetch(keyOf(3))])));
    const wanted = [...pictures, pictures[1]!, pictures[3]!];
    for (const [index, answer] of fetched.entries()) {
      if (!answer.ok) throw new Error(answer.failure.detail);
      expect(Buffer.compare(answer.value.pixels, wanted[index]!.pixels)).toBe(0);
    }
  }));

test("what fails comes back as data that says how", () =>
  withClient(async (client, server) => {
    expect(await client.fetch(keyOf(5))).toMatchObject({ ok: false, failure: { kind: "refused", code: "not-held" } });
    await client.store(keyOf(1), "night-roost", picture("8-bit"), 40);
    await truncate((await names(server))[0]!, 60);
    expect(await client.fetch(keyOf(1))).toMatchObject({ ok: false, failure: { kind: "refused", code: "damaged" } });
    await change(server, { capBytes: 16 * 2 ** 20 });
    const large = picture("8-bit", 2048, 1024);
    expect((await client.store(keyOf(2), "night-roost", large, 40)).ok).toBe(true);
    expect(await client.store(keyOf(3), "night-roost", large, 40)).toMatchObject({
      ok: false,
      failure: { kind: "refused", code: "cap-reached" },
    });
    await server.close();
    const gone = { ok: false, failure: { kind: "unreachable" } };
    expect(await client.list()).toMatchObject(gone);
    expect(await client.fetch(keyOf(2))).toMatchObject(gone);
    expect(await client.store(keyOf(4), "night-roost", large, 40)).toMatchObject(gone);
  }));

test("a file that is no frame is not taken for one", () =>
  withClient(async (client, server) => {
    await server.store(keyOf(1), new Uint8Array(100).fill(7));
    expect(await client.fetch(keyOf(1))).toMatchObject({ ok: false, failure: { kind: "damaged" } });
  }));
