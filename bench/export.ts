import { execFile } from "node:child_process";
import { mkdirSync, readFileSync, writeFileSync } from "node:fs";
import path from "node:path";
import { promisify } from "node:util";
import { buildGraph, FULL_QUALITY, parseDocumentText, redepth, writeFrame, type Picture } from "@kinetocache/core";
import { nodeRenderer } from "../testing/renderer";
import type { Measure } from "./figure";
import { median, rounded } from "./ratio";
import { Server, withFolder } from "./server";

// Frames that are rendered, and how often each of them is in the sequence.
const RENDERED = 6;
const TIMES = 2;
const FRAMES = RENDERED * TIMES;
const ROUNDS = 3;

/** Frames of the demo's heaviest composition at full size, in half. */
async function pictures(): Promise<Picture[]> {
  const renderer = await nodeRenderer();
  const document = {
    ...parseDocumentText(readFileSync("demo/compositions/night-roost.json", "utf8")),
    depth: "half" as const,
  };
  renderer.setAssets(document.assets);
  const made: Picture[] = [];
  for (let at = 0; at < RENDERED; at++) {
    const { width, height, pixels } = renderer.render(buildGraph(document, at * 40, FULL_QUALITY));
    made.push({ width, height, depth: "half", pixels: pixels.slice() });
  }
  return made;
}

/** Planes of green, blue, red and alpha in float, as ffmpeg takes them. */
function planes(picture: Picture): Uint8Array {
  const values = new Float32Array(redepth(picture, "float").pixels.slice().buffer);
  const count = values.length / 4;
  const planar = new Float32Array(values.length);
  [1, 2, 0, 3].forEach((channel, plane) => {
    for (let at = 0; at < count; at++) planar[plane * count + at] = values[at * 4 + channel]!;
  });
  return new Uint8Array(planar.buffer);
}

/** Asks again and again until it is told to stop. @returns the longest that an answer took, in ms */
async function longestAnswer(server: Server, isOver: () => boolean): Promise<number> {
  let longest = 0;
  while (!isOver()) {
    const asked = performance.now();
    await server.request("jobs");
    longest = Math.max(longest, performance.now() - asked);
    await new Promise((resolve) => setTimeout(resolve, 10));
  }
  return longest;
}

/**
 * Numbered OpenEXR files, half with ZIP, 1920×1080, as the server exports a sequence, against ffmpeg's writer, which is
 * given the same frames unpacked; and how long another request waits meanwhile.
 */
export const exportRate: Measure = () =>
  withFolder(async (folder) => {
    const frames = await pictures();
    const raw = path.join(folder, "frames.raw");
    writeFileSync(raw, "");
    for (const frame of frames) writeFileSync(raw, planes(frame), { flag: "a" });
    const server = await Server.start(path.join(folder, "data"));
    try {
      const { id } = await server.request<{ id: string }>(
        "sequences",
        "POST",
        JSON.stringify({
          ...{ location: "main", name: "Flyway", kind: "import", width: 1920, height: 1080, depth: "half" },
          ...{ rate: { numerator: 24, denominator: 1 }, fileFormat: "exr", frames: FRAMES, gaps: [], about: "" },
        }),
      );
      for (let number = 0; number < FRAMES; number++)
        await server.request(
          `sequences/${id}/frames/${number}`,
          "PUT",
          new Uint8Array(writeFrame(frames[number % RENDERED]!, false)),
        );
      await server.request(`sequences/${id}/complete`, "POST");
      const [own, other]: number[][] = [[], []];
      let longest = 0;
      let bytes = 0;
      for (let round = -1; round < ROUNDS; round++) {
        let start = performance.now();
        let over = false;
        const waited = longestAnswer(server, () => over);
        const exported = server.bytesOf(`sequences/${id}/export?format=exr`).finally(() => (over = true));
        // Together: a failure of one is told, and ends the other.
        const [[exportedBytes, took], longestNow] = await Promise.all([
          exported.then((length) => [length, performance.now() - start] as const),
          waited,
        ]);
        bytes = exportedBytes;
        const out = path.join(folder, `out${round}`);
        mkdirSync(out);
        start = performance.now();
        await promisify(execFile)("ffmpeg", [
          ...["-loglevel", "error", "-stream_loop", String(TIMES - 1)],
          ...["-f", "rawvideo", "-pix_fmt", "gbrapf32le", "-s", "1920x1080", "-i", raw],
          ...["-c:v", "exr", "-format", "half", "-compression", "zip16", path.join(out, "%04d.exr")],
        ]);
        const otherTook = performance.now() - start;
        if (round < 0) continue;
        own!.push(took);
        other!.push(otherTook);
        longest = Math.max(longest, longestNow);
      }
      const rate = (times: readonly number[]) => (1000 * FRAMES) / median(times);
      return {
        rate: {
          value: rounded(rate(own!) / rate(other!)),
          unit: "times ffmpeg's frames per second",
          limit: "at least 0.7",
          framesPerSecond: rounded(rate(own!)),
          framesPerSecondFfmpeg: rounded(rate(other!)),
          frames: FRAMES,
          bytesAFrame: Math.round(bytes / FRAMES),
        },
        "another request": { value: rounded(longest), unit: "ms at most", limit: "at most 50" },
      };
    } finally {
      await server.kill();
    }
  });
