import { Driver } from "./browser";
import type { Figure, Measure } from "./figure";
import { rounded } from "./ratio";

const MB = 2 ** 20;

/** Runs in the page: the same requests with the same bodies as the engine's disk client. */
async function transfer({
  frames,
  bytes,
}: {
  frames: number;
  bytes: number;
}): Promise<{ writeMs: number; readMs: number }> {
  const header = new TextEncoder().encode(
    "P7\nWIDTH 960\nHEIGHT 540\nDEPTH 4\nMAXVAL 255\nTUPLTYPE RGB_ALPHA\nENDHDR\n",
  );
  const pixels = new Uint8Array(bytes);
  for (let i = 0; i < bytes; i += 4096) crypto.getRandomValues(pixels.subarray(i, Math.min(bytes, i + 4096)));
  const keyOf = (n: number) => n.toString(16).padStart(32, "b");
  const start = performance.now();
  for (let n = 0; n < frames; n++) {
    const response = await fetch(`/api/volume/frames/${keyOf(n)}?owner=bench&format=pam&costMs=1`, {
      method: "PUT",
      body: new Blob([header, pixels]),
    });
    if (!response.ok) throw new Error(await response.text());
  }
  const written = performance.now();
  // Two at a time, as the engine fetches.
  const reader = async (first: number) => {
    for (let n = first; n < frames; n += 2) await (await fetch(`/api/volume/frames/${keyOf(n)}`)).arrayBuffer();
  };
  await Promise.all([reader(0), reader(1)]);
  return { writeMs: written - start, readMs: performance.now() - written };
}

async function measure(): Promise<{ write: number; read: number; frames: number; bytes: number }> {
  return Driver.with(async ({ page, url }) => {
    await page.goto(`${url}/takes`);
    const [frames, bytes] = [150, 960 * 540 * 4];
    await page.evaluate(transfer, { frames: 10, bytes: bytes + 16 });
    const { writeMs, readMs } = await page.evaluate(transfer, { frames, bytes });
    const megabytes = (frames * bytes) / MB;
    return { write: (megabytes * 1000) / writeMs, read: (megabytes * 1000) / readMs, frames, bytes };
  });
}

let measured: ReturnType<typeof measure> | undefined;

async function figure(direction: "read" | "write"): Promise<Figure> {
  measured ??= measure();
  const { frames, bytes, ...rates } = await measured;
  return { value: rounded(rates[direction]), unit: "MB/s", limit: "none yet", frames, bytesAFrame: bytes };
}

export const diskReadBack: Measure = () => figure("read");
export const diskWrite: Measure = () => figure("write");
