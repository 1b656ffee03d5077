import { readdir, rm } from "node:fs/promises";
import path from "node:path";
import { crc32 } from "node:zlib";
import { keyOf } from "../../../../testing/keys";
import { withFolder } from "../../../../testing/server";
import { buildTorn, killed } from "../../../../testing/torn";
import { Volume } from "./volume";

const KILLS = 96;
const SIDES = 2;

/** As `tornWriter` writes it. */
function contentOf(n: number): Buffer {
  return Buffer.alloc(3000 + (crc32(String(n)) % 90_000), `${n} `);
}

beforeAll(() => buildTorn("tornWriter"), 60_000);

/** Kills a writer again and again; after each time the volume must hold what was stored, and nothing torn. */
async function torment(kills: number): Promise<void> {
  await withFolder(async (folder) => {
    const stored = new Set<number>();
    let first = 0;
    for (let kill = 0; kill < kills; kill++) {
      // From before the first write to after some dozens, at odd instants.
      for (const n of await killed("tornWriter", [folder, String(first)], (kill * 7.3) % 40)) stored.add(Number(n));
      const volume = await Volume.open(folder, { keptFree: 0 });
      expect(await readdir(path.join(folder, "temporary"))).toEqual([]);
      const held = new Map(volume.frames.keys().map(([key]) => [key, Number.parseInt(key, 16)]));
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
});
