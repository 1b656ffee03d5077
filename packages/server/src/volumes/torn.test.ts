import { spawn, spawnSync } from "node:child_process";
import { mkdirSync } from "node:fs";
import { readdir, rm } from "node:fs/promises";
import path from "node:path";
import { crc32 } from "node:zlib";
import { keyOf } from "../../../../testing/keys";
import { withFolder } from "../../../../testing/server";
import { Volume } from "./volume";

const KILLS = 200;
const SIDES = 2;

/** As `tornWriter` writes it. */
function contentOf(n: number): Buffer {
  return Buffer.alloc(3000 + (crc32(String(n)) % 90_000), `${n} `);
}

// One file that starts at once; from its sources it would take longer to start than to be killed.
const built = path.join(process.cwd(), "test-results", "torn");
const writer = path.join(built, "tornWriter.js");

beforeAll(() => {
  mkdirSync(built, { recursive: true });
  const build = ["vite", "build", "--ssr", "testing/tornWriter.ts", "--outDir", built, "--logLevel", "error"];
  expect(spawnSync("npx", build, { stdio: "inherit" }).status).toBe(0);
}, 60_000);

/** Starts the writer and kills it after a while. @returns the frames that it said are stored */
async function killedWriter(folder: string, first: number, delayMs: number): Promise<number[]> {
  const child = spawn(process.execPath, [writer, folder, String(first)], { stdio: ["ignore", "pipe", "inherit"] });
  let said = "";
  child.stdout.on("data", (data: Buffer) => {
    if (said === "") setTimeout(() => child.kill("SIGKILL"), delayMs);
    said += String(data);
  });
  await new Promise((resolve) => child.once("close", resolve));
  const lines = said.split("\n").slice(0, -1);
  expect(lines[0]).toBe("open");
  return lines.slice(1).map(Number);
}

/** Kills a writer again and again; after each time the volume must hold what was stored, and nothing torn. */
async function torment(kills: number): Promise<void> {
  await withFolder(async (folder) => {
    const stored = new Set<number>();
    let first = 0;
    for (let kill = 0; kill < kills; kill++) {
      // From before the first write to after some dozens, at odd instants.
      for (const n of await killedWriter(folder, first, (kill * 7.3) % 40)) stored.add(n);
      const volume = await Volume.open(folder, { keptFree: 0 });
      expect(await readdir(path.join(folder, "temporary"))).toEqual([]);
      const held = new Map(volume.keys().map(([key]) => [key, Number.parseInt(key, 16)]));
      for (const n of stored) expect(held.has(keyOf(n))).toBe(true);
      for (const [key, n] of held) expect(Buffer.compare((await volume.read(key)).content, contentOf(n))).toBe(0);
      first = Math.max(first, ...held.values()) + 1;
      await volume.close();
      // Every other time the index is lost as well.
      if (kill % 2 === 1) await rm(path.join(folder, "index.bin"));
      if (held.size > 150) {
        await rm(path.join(folder, "frames"), { recursive: true });
        await rm(path.join(folder, "index.bin"), { force: true });
        stored.clear();
      }
    }
  });
}

test(`killed at ${KILLS} instants of writing, what was stored is whole and what was torn is not listed`, async () => {
  await Promise.all(Array.from({ length: SIDES }, () => torment(KILLS / SIDES)));
}, 240_000);
