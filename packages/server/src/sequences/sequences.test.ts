import { appendFile, readdir, readFile, stat, truncate, unlink, writeFile } from "node:fs/promises";
import path from "node:path";
import { readExr, readPng, writeFrame, writePng, type Picture, type SequenceState } from "@kinetocache/core";
import { unzipSync } from "fflate";
import { keyOf } from "../../../../testing/keys";
import { withFolder, withServer, withServerIn, type TestServer } from "../../../../testing/server";

const picture = (value: number): Picture => ({
  width: 8,
  height: 4,
  depth: "8-bit",
  pixels: new Uint8Array(128).fill(value).map((byte, at) => (at % 4 === 3 ? 255 : byte)),
});
const described = {
  location: "main",
  name: "Flock, near",
  kind: "bake",
  width: 8,
  height: 4,
  rate: { numerator: 24, denominator: 1 },
  depth: "8-bit",
  fileFormat: "qoi",
  frames: 3,
  gaps: [] as number[],
  about: "",
};

type Listed = SequenceState & { readonly pictures: [number, string][] };

async function create(server: TestServer, change: object = {}): Promise<SequenceState> {
  const response = await server.send("POST", "/api/sequences", { ...described, ...change });
  expect(response.status).toBe(201);
  return (await response.json()) as SequenceState;
}

function put(server: TestServer, id: string, number: number, content = writeFrame(picture(number * 40), true)) {
  return server.ask(`/api/sequences/${id}/frames/${number}?key=${keyOf(number)}`, {
    method: "PUT",
    body: content as BodyInit,
  });
}

const fill = async (server: TestServer, id: string, frames = 3) => {
  for (let number = 0; number < frames; number++) expect((await put(server, id, number)).status).toBe(204);
};
const complete = (server: TestServer, id: string) => server.send("POST", `/api/sequences/${id}/complete`, {});
const fileOf = ({ folder }: SequenceState, number: number) =>
  path.join(folder, `${String(number).padStart(6, "0")}.qoi`);

test("pictures are numbered files, complete once all of them were read back", () =>
  withServer(async (server) => {
    const made = await create(server);
    expect(made).toMatchObject({ complete: false, stored: 0, bytes: 0 });
    await put(server, made.id, 0);
    await put(server, made.id, 2);
    const early = await complete(server, made.id);
    expect(early.status).toBe(409);
    expect(((await early.json()) as { detail: string }).detail).toBe("1 of 3 frames are missing or altered: 1");
    await put(server, made.id, 1);
    const done = await complete(server, made.id);
    expect(((await done.json()) as { digest: string }).digest).toMatch(/^[0-9a-f]{32}$/);
    const [listed] = await server.json<SequenceState[]>("/api/sequences");
    expect(listed).toMatchObject({ complete: true, stored: 3, location: "main", name: "Flock, near" });
    const answer = await server.ask(`/api/sequences/${made.id}/frames/1`);
    expect(new Uint8Array(await answer.arrayBuffer())).toEqual(writeFrame(picture(40), true));
    expect((await readdir(made.folder)).sort()).toEqual([
      "000000.qoi",
      "000001.qoi",
      "000002.qoi",
      "frames.txt",
      "sequence.json",
    ]);
  }));

test("the same pictures have the same digest, other ones another", () =>
  withServer(async (server) => {
    const digest = async (change: number) => {
      const { id } = await create(server);
      for (let number = 0; number < 3; number++)
        await put(server, id, number, writeFrame(picture(number + (number === 1 ? change : 0)), true));
      return ((await (await complete(server, id)).json()) as { digest: string }).digest;
    };
    expect(await digest(0)).toBe(await digest(0));
    expect(await digest(9)).not.toBe(await digest(0));
  }));

test("a complete sequence takes no more pictures, and none beyond its end", () =>
  withServer(async (server) => {
    const { id } = await create(server);
    expect((await put(server, id, 3)).status).toBe(400);
    await fill(server, id);
    await complete(server, id);
    expect((await put(server, id, 1)).status).toBe(409);
  }));

test("a file that is gone or altered is told, and never handed out", () =>
  withServer(async (server) => {
    const made = await create(server);
    await fill(server, made.id);
    await complete(server, made.id);
    await unlink(fileOf(made, 0));
    await truncate(fileOf(made, 1), 20);
    const bytes = await readFile(fileOf(made, 2));
    bytes[15]! ^= 1;
    await writeFile(fileOf(made, 2), bytes);
    const refusal = (number: number) => server.refusal(`/api/sequences/${made.id}/frames/${number}`);
    expect(await refusal(0)).toMatchObject({ status: 404, title: "missing" });
    expect(await refusal(1)).toMatchObject({ status: 409, title: "altered" });
    expect(await refusal(2)).toMatchObject({
      status: 409,
      title: "altered",
      detail: 'Frame 2 of "Flock, near": its file was altered',
    });
  }));

test("after a restart a part is still a part, with what was recorded of it; a torn record does not count", () =>
  withFolder(async (folder) => {
    const made = await withServerIn(folder, async (server) => {
      const sequence = await create(server);
      await put(server, sequence.id, 0);
      await put(server, sequence.id, 1);
      return sequence;
    });
    await appendFile(path.join(made.folder, "frames.txt"), "2 100 0a0b");
    await withServerIn(folder, async (server) => {
      const found = await server.json<Listed>(`/api/sequences/${made.id}`);
      expect(found).toMatchObject({ complete: false, stored: 2 });
      expect(found.pictures).toEqual([
        [0, keyOf(0)],
        [1, keyOf(1)],
      ]);
      expect((await complete(server, made.id)).status).toBe(409);
      await put(server, made.id, 2);
      expect((await complete(server, made.id)).status).toBe(200);
    });
    await withServerIn(folder, async (server) => {
      expect(await server.json<Listed>(`/api/sequences/${made.id}`)).toMatchObject({ complete: true, stored: 3 });
    });
  }));

test("what is no picture does not become part of a complete sequence", () =>
  withServer(async (server) => {
    const { id } = await create(server);
    await fill(server, id);
    await put(server, id, 1, new TextEncoder().encode("not a picture at all"));
    expect((await complete(server, id)).status).toBe(409);
    await put(server, id, 1);
    expect((await complete(server, id)).status).toBe(200);
  }));

test("sequences count against the cap; frames make room for them, they never make room for frames", () =>
  withServer(async (server) => {
    const { id } = await create(server, { frames: 400, width: 64, height: 64, fileFormat: "pam" });
    const large: Picture = { width: 64, height: 64, depth: "8-bit", pixels: new Uint8Array(64 * 64 * 4).fill(7) };
    const file = writeFrame(large, false);
    for (let number = 0; number < 10; number++) await put(server, id, number, file);
    const { sequenceBytes } = (await server.volume()) as { sequenceBytes: number };
    expect(sequenceBytes).toBeGreaterThanOrEqual(10 * file.length);
    await server.send("PUT", "/api/locations/main", { capBytes: 2 ** 24 });
    const refused = await server.send("PUT", "/api/locations/main", { capBytes: sequenceBytes - 1 });
    // The smallest cap is larger than this.
    expect([400, 409]).toContain(refused.status);
    let status = 204;
    for (let number = 10; number < 400 && status === 204; number++)
      status = (await put(server, id, number, new Uint8Array(2 ** 17).fill(1))).status;
    expect(status).toBe(507);
    const { sequenceBytes: taken } = (await server.volume()) as { sequenceBytes: number };
    expect(taken).toBeLessThanOrEqual(2 ** 24);
    expect((await server.store(keyOf(1), new Uint8Array(2 ** 18))).status).toBe(507);
  }));

test("removing one takes its files along, and leaves what is not its own", () =>
  withServer(async (server) => {
    const [first, second] = [await create(server), await create(server)];
    await fill(server, first.id);
    await fill(server, second.id);
    await writeFile(path.join(second.folder, "notes.txt"), "mine");
    for (const { id } of [first, second])
      expect((await server.ask(`/api/sequences/${id}`, { method: "DELETE" })).status).toBe(204);
    await expect(stat(first.folder)).rejects.toThrow("ENOENT");
    expect(await readdir(second.folder)).toEqual(["notes.txt"]);
    expect(await server.json("/api/sequences")).toEqual([]);
    expect(((await server.volume()) as { sequenceBytes: number }).sequenceBytes).toBe(0);
  }));

test("a small file that stands for a huge picture is refused by its header, and others are answered meanwhile", () =>
  withServer(async (server) => {
    const { id } = await create(server, { kind: "import" });
    const bomb = Buffer.from(writePng(picture(1)));
    bomb.writeUInt32BE(12_000, 16);
    bomb.writeUInt32BE(12_000, 20);
    const send = (body: Uint8Array) =>
      server.refusal(`/api/sequences/${id}/frames/0`, {
        method: "PUT",
        body: body as BodyInit,
        headers: { "content-type": "image/png" },
      });
    expect(await send(bomb)).toMatchObject({
      status: 400,
      detail: "body: the picture has 12000 × 12000 pixels; at most 67,108,864 are read",
    });
    for (const short of [bomb.subarray(0, 20), Buffer.from("GIF89a"), Buffer.from([0x89])])
      expect((await send(short)).status).toBe(400);
    const torn = Buffer.from(writePng(picture(1))).subarray(0, 50);
    expect((await send(torn)).status).toBe(400);
  }));

test("an export that nobody waits for any more ends", () =>
  withServer(async (server) => {
    const frames = 40;
    const { id } = await create(server, { frames, width: 640, height: 360 });
    const large: Picture = { ...picture(1), width: 640, height: 360, pixels: new Uint8Array(640 * 360 * 4).fill(7) };
    for (let number = 0; number < frames; number++) await put(server, id, number, writeFrame(large, true));
    const left = new AbortController();
    const response = await server.ask(`/api/sequences/${id}/export?format=exr`, { signal: left.signal });
    const reader = response.body!.getReader();
    await reader.read();
    left.abort();
    await expect(reader.read()).rejects.toThrow();
    // And the next one is whole.
    const file = new Uint8Array(await (await server.ask(`/api/sequences/${id}/export?format=png`)).arrayBuffer());
    expect(Object.keys(unzipSync(file))).toHaveLength(frames);
  }));

test("an export is a job that says how far it is, and can be cancelled", () =>
  withServer(async (server) => {
    const frames = 40;
    const { id } = await create(server, { frames, width: 640, height: 360 });
    // Noise does not pack: more of it than is on its way at a time.
    const pixels = new Uint8Array(640 * 360 * 4).map((_, at) => (at * 2654435761) >>> 13);
    const large: Picture = { ...picture(1), width: 640, height: 360, pixels };
    for (let number = 0; number < frames; number++) await put(server, id, number, writeFrame(large, true));
    const response = await server.ask(`/api/sequences/${id}/export?format=png`);
    const reader = response.body!.getReader();
    await reader.read();
    const jobs = () => server.json<{ id: string; title: string; state: string; detail: string }[]>("/api/jobs");
    const job = (await jobs()).find(({ title }) => title === "Exporting Flock, near")!;
    expect(job.state).toBe("running");
    expect(job.detail).toMatch(/^(\d+ of 40 pictures)?$/);
    expect((await server.send("POST", `/api/jobs/${job.id}`, { wish: "cancel" })).status).toBe(204);
    await expect(
      (async () => {
        for (;;) if ((await reader.read()).done) return "whole";
      })(),
    ).rejects.toThrow();
    expect((await jobs()).find((one) => one.id === job.id)?.state).toBe("cancelled");
  }));

test("pictures are brought in as PNG, and exported as numbered PNG or OpenEXR files", () =>
  withServer(async (server) => {
    const numbering = { first: 99, digits: 3 };
    const { id } = await create(server, { kind: "import", gaps: [1], numbering });
    for (const number of [0, 2]) {
      const response = await server.ask(`/api/sequences/${id}/frames/${number}`, {
        method: "PUT",
        headers: { "content-type": "image/png" },
        body: writePng(picture(number * 40)) as BodyInit,
      });
      expect(response.status).toBe(204);
    }
    expect((await complete(server, id)).status).toBe(200);
    const files = async (format: string) => {
      const response = await server.ask(`/api/sequences/${id}/export?format=${format}`);
      return unzipSync(new Uint8Array(await response.arrayBuffer()));
    };
    const pngs = await files("png");
    expect(Object.keys(pngs)).toEqual(["Flock near.099.png", "Flock near.101.png"]);
    expect(readPng(pngs["Flock near.101.png"]!)).toEqual(picture(80));
    const exr = readExr((await files("exr"))["Flock near.099.exr"]!);
    expect(exr).toMatchObject({ width: 8, height: 4, depth: "half" });
    const broken = await server.ask(`/api/sequences/${id}/frames/1`, {
      method: "PUT",
      headers: { "content-type": "image/png" },
      body: "hello",
    });
    expect(broken.status).toBe(400);
  }));

test("bad input says what would be right", () =>
  withServer(async (server) => {
    const refused = await server.send("POST", "/api/sequences", { ...described, frames: 0, fileFormat: "mov" });
    expect(refused.status).toBe(400);
    const { detail } = (await refused.json()) as { detail: string };
    expect(detail).toMatch(/"fileFormat" must be one of \[pam, qoi, exr\].*"frames" must be greater/);
    expect((await server.send("POST", "/api/sequences", { ...described, location: "nowhere" })).status).toBe(404);
    expect((await server.ask("/api/sequences/none/frames/0")).status).toBe(404);
  }));
