import { mkdirSync, truncateSync, writeFileSync } from "node:fs";
import path from "node:path";
import type { GatheredState } from "@kinetocache/core";
import { TestServer, withFolder } from "../../../../testing/server";
import { until } from "../../../../testing/until";
import type { JobStatus } from "../jobs/jobs";

const LONG_BYTES = 2 ** 40;

/** A gathered folder with a clip that takes half an hour to read. */
function withLongClip(use: (server: TestServer, folder: string) => Promise<void>): Promise<void> {
  return withFolder(async (folder) => {
    const gathered = path.join(folder, "gathered");
    mkdirSync(path.join(gathered, "media"), { recursive: true });
    writeFileSync(path.join(gathered, "media/long.mov"), "");
    truncateSync(path.join(gathered, "media/long.mov"), LONG_BYTES);
    const clip = { path: "media/long.mov", from: "/rushes/long.mov", reference: "long.mov", kind: "media" };
    const manifest = {
      format: "kinetocache-gathered",
      version: 1,
      project: "Flyway Titles",
      made: "2026-10-01T10:00:00.000Z",
      files: [{ ...clip, bytes: LONG_BYTES, sha256: "0".repeat(64) }],
      missing: [],
    };
    writeFileSync(path.join(gathered, "gathered.json"), JSON.stringify(manifest));
    const server = await TestServer.start(path.join(folder, "data"));
    try {
      await use(server, gathered);
    } finally {
      await server.close();
    }
  });
}

const reopen = (server: TestServer, folder: string, signal?: AbortSignal) =>
  server.ask("/api/sweep/gathered", {
    method: "POST",
    headers: { "content-type": "application/json" },
    body: JSON.stringify({ folder }),
    ...(signal ? { signal } : {}),
  });

/** The job that compares the folder, once it has this state. */
async function comparing(server: TestServer, isMeant: (job: JobStatus) => boolean): Promise<JobStatus> {
  const jobs = () => server.json<JobStatus[]>("/api/jobs");
  let found: JobStatus | undefined;
  await until(async () => {
    found = (await jobs()).find((job) => job.title.startsWith("Comparing") && isMeant(job));
    return found !== undefined;
  });
  return found!;
}

test("comparing checksums is a job that can be cancelled in the middle of a file", () =>
  withLongClip(async (server, folder) => {
    const answer = reopen(server, folder);
    const { id } = await comparing(server, ({ progress }) => progress > 0);
    await server.send("POST", `/api/jobs/${id}`, { wish: "cancel" });
    const refused = await answer;
    expect(refused.status).toBe(409);
    expect(((await refused.json()) as { detail: string }).detail).toMatch(/was cancelled/);
    expect(await server.json<string[]>("/api/sweep/gathered")).toEqual([]);
  }));

test("it ends when nobody waits for it any more", () =>
  withLongClip(async (server, folder) => {
    const left = new AbortController();
    const answer = reopen(server, folder, left.signal).catch((error: Error) => error.name);
    await comparing(server, ({ progress }) => progress > 0);
    left.abort();
    expect(await answer).toBe("AbortError");
    await comparing(server, ({ state }) => state === "cancelled");
  }));

test("missing media is found in a folder that is not registered, and the folder is told as it is then", () =>
  withLongClip(async (server, folder) => {
    const elsewhere = path.join(folder, "../elsewhere");
    mkdirSync(path.join(elsewhere, "deep"), { recursive: true });
    writeFileSync(path.join(elsewhere, "deep/Lost.mov"), "lost");
    const manifest = path.join(folder, "gathered.json");
    writeFileSync(
      manifest,
      JSON.stringify({
        format: "kinetocache-gathered",
        version: 1,
        project: "Flyway Titles",
        made: "2026-10-01T10:00:00.000Z",
        files: [],
        missing: [{ reference: "lost.mov", bytes: 4 }],
      }),
    );
    expect((await reopen(server, folder)).status).toBe(200);
    const answer = await server.send("POST", "/api/sweep/gathered/relink", { folder, from: elsewhere });
    const { found, state } = (await answer.json()) as { found: object[]; state: GatheredState };
    expect(found).toEqual([{ reference: "lost.mov", file: path.join(elsewhere, "deep/Lost.mov"), by: "name" }]);
    expect(state.files).toMatchObject([{ path: "lost.mov", state: "as it was" }]);
    expect(state.missing).toEqual([]);
  }));
