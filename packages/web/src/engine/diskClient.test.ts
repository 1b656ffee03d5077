import { readdir, readFile, truncate } from "node:fs/promises";
import path from "node:path";
import type { Depth } from "@kinetocache/core";
import { keyOf } from "../../../../testing/keys";
import { TestServer, withFolder } from "../../../../testing/server";
import { nodeKernels } from "../../../../testing/renderer";
import { DepthConverter } from "./depthConverter";
import { DiskClient } from "./diskClient";
import { FrameCodec } from "./frameCodec";
import type { HeldPicture, Target } from "./frameStorage";

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
        original(new URL(String(target), server.server.origin), withOrigin(server, init)),
      );
    try {
      await run(new DiskClient(new FrameCodec(new DepthConverter(nodeKernels()))), server);
    } finally {
      reached.mockRestore();
      await server.close();
    }
  });
}

const original = globalThis.fetch;
const withOrigin = (server: TestServer, init: RequestInit = {}): RequestInit => {
  return { ...init, headers: { ...Object.fromEntries(new Headers(init.headers)), ...server.headers } };
};

async function names({ data }: TestServer): Promise<string[]> {
  const folder = path.join(data, "volume/frames/night-roost");
  return (await readdir(folder)).map((name) => path.join(folder, name));
}

const target = (change: Partial<Target> = {}): Target => ({
  location: "main",
  packing: "plain",
  deepest: "float",
  ...change,
});
const outgoing = (n: number, stored: HeldPicture, costMs = 40) => ({
  key: keyOf(n),
  owner: "night-roost",
  costMs,
  picture: stored,
});
/** Sends as the test itself, not as the client. */
const change = (server: TestServer, settings: object) =>
  original(
    `${server.server.origin}/api/locations/main`,
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
    const packing = packed ? "packed" : "plain";
    expect((await change(server, { packing })).status).toBe(200);
    expect(await client.list()).toEqual({
      ok: true,
      value: { frames: [{ location: "main", frames: [] }], targets: [target({ packing })] },
    });
    const stored = picture(depth);
    const answer = await client.store(outgoing(1, stored, 41.6), target({ packing }));
    const [file] = await names(server);
    expect(path.extname(file!)).toBe(extension);
    expect(answer).toEqual({ ok: true, value: (await readFile(file!)).length });
    const fetched = await client.fetch(keyOf(1));
    if (!fetched.ok) throw new Error(fetched.failure.detail);
    expect(fetched.value).toMatchObject({ width: 7, height: 5, depth, owner: "night-roost", costMs: 42 });
    expect(Buffer.compare(fetched.value.pixels, stored.pixels)).toBe(0);
    expect(await client.list()).toMatchObject({
      ok: true,
      value: { frames: [{ location: "main", frames: [[keyOf(1), 42]] }] },
    });
    expect(await client.remove(keyOf(1), "main")).toEqual({ ok: true });
    expect(await client.fetch(keyOf(1))).toMatchObject({ ok: false, failure: { code: "not-held" } });
  }),
);

test("frames of any sizes, one after the other and two at once, each come back as they were", () =>
  withClient(async (client) => {
    const sizes = [4, 90, 5, 60, 61, 3, 90];
    const pictures = sizes.map((width) => picture("8-bit", width, width));
    for (const [index, stored] of pictures.entries()) await client.store(outgoing(index, stored), target());
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
    await client.store(outgoing(1, picture("8-bit")), target());
    await truncate((await names(server))[0]!, 60);
    expect(await client.fetch(keyOf(1))).toMatchObject({ ok: false, failure: { kind: "refused", code: "damaged" } });
    await change(server, { capBytes: 16 * 2 ** 20 });
    const large = picture("8-bit", 2048, 1024);
    expect((await client.store(outgoing(2, large), target())).ok).toBe(true);
    expect(await client.store(outgoing(3, large), target())).toMatchObject({
      ok: false,
      failure: { kind: "refused", code: "cap-reached" },
    });
    await server.close();
    const gone = { ok: false, failure: { kind: "unreachable" } };
    expect(await client.list()).toMatchObject(gone);
    expect(await client.fetch(keyOf(2))).toMatchObject(gone);
    expect(await client.store(outgoing(4, large), target())).toMatchObject(gone);
  }));

test("a file that is no frame is not taken for one", () =>
  withClient(async (client, server) => {
    await server.store(keyOf(1), new Uint8Array(100).fill(7));
    expect(await client.fetch(keyOf(1))).toMatchObject({ ok: false, failure: { kind: "damaged" } });
  }));

test("what is deeper than a location keeps is brought down to that, and comes back so", () =>
  withClient(async (client) => {
    await client.store(outgoing(1, picture("float")), target({ deepest: "half" }));
    expect(await client.fetch(keyOf(1))).toMatchObject({ ok: true, value: { depth: "half", width: 7, height: 5 } });
    await client.store(outgoing(2, picture("half")), target({ deepest: "8-bit" }));
    expect(await client.fetch(keyOf(2))).toMatchObject({ ok: true, value: { depth: "8-bit", width: 7, height: 5 } });
    await client.store(outgoing(3, picture("8-bit")), target({ deepest: "half" }));
    expect(await client.fetch(keyOf(3))).toMatchObject({ ok: true, value: { depth: "8-bit" } });
  }));

test("a location that is not there takes nothing, and says so", () =>
  withClient(async (client) => {
    expect(await client.store(outgoing(1, picture("8-bit")), target({ location: "gone" }))).toMatchObject({
      ok: false,
      failure: { kind: "refused", code: "no-location" },
    });
  }));
