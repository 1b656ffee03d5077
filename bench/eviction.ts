import { closeSync, ftruncateSync, mkdirSync, openSync, writeFileSync } from "node:fs";
import path from "node:path";
import type { Measure } from "./figure";
import { median, rounded } from "./ratio";
import { Server, withFolder } from "./server";

const STORED = 100_000;
const FRAME_BYTES = 256 * 2 ** 10;
const WRITTEN = 100;
const WRITERS = 2;
const ROUNDS = 15;

/** Files that take no room on the drive, each as long as a frame. */
function fillWith(folder: string): void {
  const place = path.join(folder, "volume/frames/stored");
  mkdirSync(place, { recursive: true });
  for (let n = 0; n < STORED; n++) {
    const file = openSync(path.join(place, `${n.toString(16).padStart(32, "0")}-0badcafe-40.qoi`), "w");
    ftruncateSync(file, FRAME_BYTES);
    closeSync(file);
  }
}

/** Frames that a server takes a second. */
async function rateOf(server: Server): Promise<number> {
  const content = new Uint8Array(FRAME_BYTES);
  let left = WRITTEN;
  const write = async () => {
    for (; left > 0; left--) {
      const key = crypto.randomUUID().replaceAll("-", "");
      await server.request(`locations/main/frames/${key}?owner=bench&format=pam&costMs=1`, "PUT", content);
    }
  };
  const start = performance.now();
  await Promise.all(Array.from({ length: WRITERS }, write));
  return (1000 * WRITTEN) / (performance.now() - start);
}

/** Frames written a second at a location of 100,000 that is full, each of which takes another's place, over an empty one. */
export const writesAtCap: Measure = () =>
  withFolder(async (folder) => {
    const servers: Server[] = [];
    try {
      // Frames in use are spared: to the servers, what is there is an hour old.
      const clock = path.join(folder, "clock.mjs");
      writeFileSync(clock, "const now = Date.now; Date.now = () => now() + 3_600_000;");
      const open = async (name: string, capBytes: number) => {
        const server = await Server.start(path.join(folder, name), clock);
        servers.push(server);
        await server.request("locations/main", "PUT", JSON.stringify({ capBytes }));
        return server;
      };
      fillWith(path.join(folder, "full"));
      const full = await open("full", STORED * FRAME_BYTES);
      const empty = await open("empty", STORED * FRAME_BYTES);
      const ratios: number[] = [];
      const rates: number[] = [];
      for (let round = -1; round < ROUNDS; round++) {
        const [reference, own] = [await rateOf(empty), await rateOf(full)];
        if (round < 0) continue;
        ratios.push(own / reference);
        rates.push(own);
      }
      return {
        value: rounded(median(ratios)),
        unit: "times the rate at an empty location",
        limit: "at least 0.9",
        framesPerSecond: rounded(median(rates)),
        eachRound: ratios.map((ratio) => rounded(ratio)),
        frames: STORED,
        frameBytes: FRAME_BYTES,
      };
    } finally {
      for (const server of servers) await server.kill();
    }
  });
