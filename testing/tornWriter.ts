import { crc32 } from "node:zlib";
import { Volume } from "../packages/server/src/volumes/volume";

// Writes one frame after the other into a volume until it is killed, and says of each when it is stored.

const [folder, first] = process.argv.slice(2) as [string, string];

/** Bytes that tell frames apart, the same in every process. */
function contentOf(n: number): Uint8Array {
  const size = 3000 + (crc32(String(n)) % 90_000);
  return new Uint8Array(Buffer.alloc(size, `${n} `));
}

const volume = await Volume.open(folder, { keptFree: 0 });
process.stdout.write("open\n");
for (let n = Number(first); ; n++) {
  const content = contentOf(n);
  const key = n.toString(16).padStart(32, "0");
  const frame = { key, owner: `owner-${n % 3}`, format: "pam" as const, costMs: 1, size: content.length };
  await volume.write(
    frame,
    (async function* () {
      yield await Promise.resolve(content);
    })(),
  );
  process.stdout.write(`${n}\n`);
}
