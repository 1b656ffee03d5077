import { Driver } from "./browser";
import type { Figure, Measure } from "./figure";
import { rounded } from "./ratio";

const MB = 2 ** 20;

/**
 * Runs in the page: the same requests with the same bodies as the engine's disk client. It names no function
 * inside, because what names them does not exist in the page.
 */
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
  const keys = Array.from({ length: frames }, () => crypto.randomUUID().replaceAll("-", ""));
  const start = performance.now();
  for (const key of keys) {
    const body = new Blob([header, pixels]);
    const response = await fetch(`/api/volume/frames/${key}?owner=bench&format=pam&costMs=1`, { method: "PUT", body });
    if (!response.ok) throw new Error(await response.text());
  }
  const written = performance.now();
  // Two at a time, as the engine fetches.
  for (let n = 0; n < frames; n += 2) {
    await Promise.all(
      keys.slice(n, n + 2).map((key) => fetch(`/api/volume/frames/${key}`).then((response) => response.arrayBuffer())),
    );
  }
  return { writeMs: written - start, readMs: performance.now() - written };
}

async function measure(): Promise<{ write: number; read: number; frames: number; bytes: number }> {
  return Driver.with(async ({ page, url }) => {
    await page.goto(`${url}/takes`);
    const [frames, bytes] = [150, 960 * 540 * 4];
    await page.evaluate(transfer, { frames: 10, bytes });
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
