import { existsSync, readdirSync, readFileSync } from "node:fs";
import path from "node:path";
import { writeFrame, type GatheredState, type SequenceState, type WrapState } from "@kinetocache/core";
import type { JobStatus } from "../jobs/jobs";
import { keyOf } from "../../../../testing/keys";
import { withFolder, withServer, withServerIn, type TestServer } from "../../../../testing/server";
import { until } from "../../../../testing/until";

const TEXT = '{ "format": "kinetocache-composition" }\n';
const ID = "night-roost";

/** A server, and the folder that its data is in. */
const withServerAnd = (use: (server: TestServer, folder: string) => Promise<void>) =>
  withFolder((folder) => withServerIn(path.join(folder, "data"), (server) => use(server, folder)));

/** Stores two pictures, as they are when they are brought in or baked. */
async function makeSequence(server: TestServer, name: string, kind: "bake" | "import"): Promise<SequenceState> {
  const size = { width: 2, height: 2, depth: "8-bit" as const };
  const described = { ...size, location: "main", name, kind, fileFormat: "qoi", frames: 2, gaps: [], about: "" };
  const rate = { numerator: 24, denominator: 1 };
  const made = (await (await server.send("POST", "/api/sequences", { ...described, rate })).json()) as SequenceState;
  for (const number of [0, 1]) {
    const picture = writeFrame({ ...size, pixels: new Uint8Array(16).fill(255) }, true);
    const init = { method: "PUT", body: picture as BodyInit };
    expect((await server.ask(`/api/sequences/${made.id}/frames/${number}?key=${keyOf(number)}`, init)).status).toBe(
      204,
    );
  }
  return made;
}

async function handOver(server: TestServer, handed: object): Promise<string> {
  const at = `/api/sweep/wrap/compositions/${ID}`;
  const { file } = (await (await server.send("PUT", at, { name: "Night Roost", ...handed })).json()) as {
    file: string;
  };
  expect((await server.ask(`${at}/file`, { method: "PUT", body: TEXT })).status).toBe(204);
  return file;
}

const look = (server: TestServer, file: string) =>
  server.json<WrapState>(`/api/sweep/wrap?file=${encodeURIComponent(file)}`);

test("a composition is wrapped: its file and the pictures brought in gathered, its frames and bakes in holding", () =>
  withServerAnd(async (server, folder) => {
    const near = await makeSequence(server, "near", "import");
    const far = await makeSequence(server, "far", "import");
    const baked = await makeSequence(server, "Sky", "bake");
    for (const n of [0, 1]) await server.store(keyOf(n), new Uint8Array(100), { owner: ID });
    await server.store(keyOf(2), new Uint8Array(100), { owner: "other" });
    const sequences = [
      { id: near.id, name: "../birds" },
      { id: far.id, name: "../birds" },
      { id: "gone", name: "fog" },
    ];
    const file = await handOver(server, { sequences, bakes: [baked.id] });
    const state = await look(server, file);
    expect(state).toMatchObject({ name: "Night Roost", missing: 1, generated: { items: 3, stays: 0 } });
    expect(state.originals.at(-1)).toMatchObject({ reference: "fog", state: "missing" });

    const target = path.join(folder, "gathered");
    const wish = { file, target, sweeps: true };
    const { job } = (await (await server.send("POST", "/api/sweep/wrap", wish)).json()) as { job: string };
    const status = async () => (await server.json<JobStatus[]>("/api/jobs")).find(({ id }) => id === job)!;
    await until(async () => (await status()).state !== "running");
    expect(await status()).toMatchObject({
      state: "done",
      detail: "9 originals gathered; 1 missing; 3 generated items are in holding",
    });
    expect(readFileSync(path.join(target, `${ID}.json`), "utf8")).toBe(TEXT);
    // A name that leads elsewhere does not, and two of the same name lie apart.
    const media = readdirSync(path.join(target, "media")).sort();
    expect(media).toEqual(["__birds", "__birds 2"]);
    for (const one of media) expect(readdirSync(path.join(target, "media", one))).toHaveLength(4);
    expect(await server.keys()).toHaveLength(1);
    expect([near, far, baked].map(({ folder }) => existsSync(folder))).toEqual([true, true, false]);

    const reopened = await server.send("POST", "/api/sweep/gathered", { folder: target });
    const { files, missing } = (await reopened.json()) as GatheredState;
    expect(files.map((one) => one.state)).toEqual(Array.from({ length: 9 }, () => "as it was"));
    expect(missing).toEqual([{ reference: "fog" }]);
  }));

test("what is no composition, is not as long as announced, or was not told of, is not taken", () =>
  withServerAnd(async (server) => {
    const at = `/api/sweep/wrap/compositions/${ID}`;
    const put = async (body: string, headers: Record<string, string> = {}) =>
      (await server.ask(`${at}/file`, { method: "PUT", body, headers })).status;
    expect(await put(TEXT)).toBe(404);
    await server.send("PUT", at, { name: "Night Roost", sequences: [], bakes: [] });
    expect(await put("not a composition")).toBe(400);
    expect(await put('{"format":"kinetocache-project"}')).toBe(400);
    expect(await put("")).toBe(411);
    const status = await server.raw(`${at}/file`, { ...server.headers, "content-length": String(2 ** 50) }, "PUT");
    expect(status).toBe(411);
    expect(readdirSync(path.join(server.data, "wrapping"))).toEqual([]);
    expect(await put(TEXT)).toBe(204);
    // Of many that are handed over only the last ones are kept.
    for (let n = 0; n < 12; n++) {
      const other = `/api/sweep/wrap/compositions/other-${n}`;
      await server.send("PUT", other, { name: "x", sequences: [], bakes: [] });
      expect((await server.ask(`${other}/file`, { method: "PUT", body: TEXT })).status).toBe(204);
    }
    expect(readdirSync(path.join(server.data, "wrapping"))).toHaveLength(8);
  }));

test("frames of a composition that is open stay, and one that was not handed over is not found", () =>
  withServer(async (server) => {
    await server.store(keyOf(0), new Uint8Array(100), { owner: ID });
    const compositions = [{ id: ID, name: "Night Roost" }];
    await server.send("PUT", "/api/sweep/compositions", {
      profile: "p",
      tab: "t",
      compositions,
      sequences: [],
      open: ID,
    });
    const file = await handOver(server, { sequences: [], bakes: [] });
    expect(await look(server, file)).toMatchObject({ generated: { items: 0, stays: 1 } });
    for (const [id, status] of [
      ["other", 404],
      ["..%2Fescape", 400],
    ] as const) {
      const at = `/api/sweep/wrap/compositions/${id}`;
      const given = await server.send("PUT", at, { name: "x", sequences: [], bakes: [] });
      if (status === 400) expect(given.status).toBe(400);
      else expect((await server.refusal(`/api/sweep/wrap?file=${file.replace(ID, id)}`)).status).toBe(404);
    }
  }));
