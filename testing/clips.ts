import { spawnSync } from "node:child_process";
import { renameSync } from "node:fs";

const HUNDRED_MEGABITS = ["-b:v", "100M", "-minrate", "100M", "-maxrate", "100M", "-bufsize", "50M"];

/** How a clip is coded: ffmpeg's name of the encoder, with its options. */
const ENCODERS = {
  "H.264, one long group": ["-c:v", "libx264", "-g", "250", "-pix_fmt", "yuv420p"],
  "H.264, all key frames": ["-c:v", "libx264", "-g", "1", "-pix_fmt", "yuv420p"],
  /** A hundred megabits and a group a second, as cameras write it. */
  "H.264 of a camera": [
    "-c:v",
    "libx264",
    "-preset",
    "veryfast",
    "-g",
    "24",
    "-pix_fmt",
    "yuv420p",
    ...HUNDRED_MEGABITS,
  ],
  VP9: ["-c:v", "libvpx-vp9", "-b:v", "400k", "-deadline", "realtime", "-cpu-used", "8"],
  AV1: ["-c:v", "libsvtav1", "-preset", "12"],
  /** An intermediate that browsers do not decode. */
  intermediate: ["-c:v", "prores_ks"],
} as const;

export type Coding = keyof typeof ENCODERS;

interface Made {
  readonly coded: Coding;
  readonly size: string;
  /** As ffmpeg takes it, such as `24000/1001`. */
  readonly rate: string;
  readonly seconds: number;
  /** Whether it is as hard to code as a camera's pictures are. */
  readonly noisy?: boolean;
}

/** Makes a clip in which every frame differs. @throws Error with what ffmpeg said */
export function makeClip(file: string, { coded, size, rate, seconds, noisy = false }: Made): void {
  const picture = `testsrc=size=${size}:rate=${rate}:duration=${seconds}${noisy ? ",noise=alls=12:allf=t" : ""}`;
  ffmpeg("-f", "lavfi", "-i", picture, ...ENCODERS[coded], file);
}

/** Has a clip say that its pictures are to be turned by a quarter. @throws Error with what ffmpeg said */
export function turnClip(file: string): void {
  const before = `${file}.before`;
  renameSync(file, before);
  ffmpeg("-i", before, "-metadata:s:v", "rotate=90", "-c", "copy", file);
}

function ffmpeg(...args: readonly string[]): void {
  const { status, stderr, error } = spawnSync("ffmpeg", ["-v", "error", "-y", ...args]);
  if (error) throw error;
  if (status !== 0) throw new Error(String(stderr));
}
