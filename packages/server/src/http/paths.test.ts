import { mkdirSync, writeFileSync } from "node:fs";
import path from "node:path";
import { withFolder, withServer, withServerIn } from "../../../../testing/server";

const NUL = "holds a NUL character";
const LONG_NAME = "holds a name of more than 255 bytes";
const LONG_PATH = "is longer than 4096 bytes";
const ODD = [
  ["/tmp/a\0b", NUL],
  [`/tmp/${"ä".repeat(200)}`, LONG_NAME],
  [`/${"ä/".repeat(1500)}`, LONG_PATH],
] as const;

test.each(ODD)("a path that no system takes is refused wherever it is asked for (%#)", (odd, fault) =>
  withServer(async (server) => {
    const asked = [
      ["POST", "/api/locations", { folder: odd, holds: "frames" }],
      ["POST", "/api/locations", { folder: odd, holds: "media" }],
      ["POST", "/api/drives/test", { mount: odd, frameBytes: 65_536, frames: 4 }],
      ["POST", "/api/sweep/folders", { folder: odd, projects: [] }],
      ["POST", "/api/sweep/folders", { folder: "/tmp", projects: [odd] }],
      ["POST", "/api/sweep/plan", { selection: [{ place: "main", ids: ["Cache", odd] }] }],
      ["POST", "/api/sweep/holds", { selection: [{ place: "main", ids: [odd] }] }],
      ["POST", "/api/sweep/wrap", { file: odd, target: "/tmp", sweeps: false }],
      ["POST", "/api/sweep/gathered", { folder: odd }],
      ["POST", "/api/sweep/gathered/relink", { folder: "/tmp", from: odd }],
    ] as const;
    for (const [method, target, body] of asked) {
      const response = await server.send(method, target, body);
      const { detail } = (await response.json()) as { detail: string };
      expect([target, response.status, detail]).toEqual([target, 400, expect.stringContaining(fault)]);
    }
  }),
);

test.each(ODD)("a manifest of gathered files that names such a path is refused by name (%#)", (odd, fault) =>
  withFolder(async (folder) => {
    const gathered = path.join(folder, "gathered");
    mkdirSync(gathered);
    const file = { path: odd.slice(1), from: "/m", reference: "m", kind: "media", bytes: 1, sha256: "0".repeat(64) };
    const manifest = { format: "kinetocache-gathered", version: 1, project: "Flyway", made: "2026-05-03", missing: [] };
    writeFileSync(path.join(gathered, "gathered.json"), JSON.stringify({ ...manifest, files: [file] }));
    await withServerIn(path.join(folder, "data"), async (server) => {
      const response = await server.send("POST", "/api/sweep/gathered", { folder: gathered });
      const { detail } = (await response.json()) as { detail: string };
      expect([response.status, detail]).toEqual([400, expect.stringContaining(fault)]);
    });
  }),
);
