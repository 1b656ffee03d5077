import { spawnSync } from "node:child_process";
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import path from "node:path";
import { FormatError, readForeignFrame, readPng, redepth, srgbToLinear, type Picture } from "@kinetocache/core";
import type { Measure } from "./figure";
import { randomFrom } from "./random";

const [WIDTH, HEIGHT] = [61, 37];

/** A file that another tool makes. */
interface Made {
  readonly name: string;
  /** Commands that make `out` of what `source` gives; the last one may write it to its output. */
  readonly commands: readonly (readonly string[])[];
  /** Kinds that are read here; the others are read right or refused by name. */
  readonly isRead: boolean;
}

const colours = ["rgba", "rgb", "grey", "greyAlpha", "few", "fewAlpha", "bilevel"] as const;
type Colour = (typeof colours)[number];

/** Samples of 16 bits, of a kind: noise, so that no place looks like another. */
function samples(colour: Colour): Uint16Array {
  const random = randomFrom(20_261_127);
  const all = new Uint16Array(WIDTH * HEIGHT * 4);
  for (let at = 0; at < all.length; at += 4) {
    const few = random(7) * 10_000;
    const level = () => (colour.startsWith("few") ? few : random(65_536));
    const grey = colour === "bilevel" ? random(2) * 65_535 : random(65_536);
    const isGrey = colour.startsWith("grey") || colour === "bilevel";
    for (let channel = 0; channel < 3; channel++) all[at + channel] = isGrey ? grey : level();
    const alpha = random(4) === 0 ? 0 : colour === "fewAlpha" ? 65_535 : random(65_536);
    all[at + 3] = colour.endsWith("Alpha") || colour === "rgba" ? alpha : 65_535;
  }
  return all;
}

/** ImageMagick, from raw samples in a file of the kind's name. */
const magick = (colour: Colour, name: string, ...args: string[]): Made => ({
  name: `ImageMagick ${name}, ${colour}: ${args.join(" ")}`,
  commands: [
    ["/usr/bin/convert", "-size", `${WIDTH}x${HEIGHT}`, "-depth", "16", `rgba:${colour}`, ...args, `${name}:out`],
  ],
  isRead: name === "png",
});

const ffmpegArgs = (colour: Colour, ...args: string[]) => [
  "ffmpeg",
  "-y",
  "-loglevel",
  "error",
  ...["-f", "rawvideo", "-pix_fmt", "rgba64le", "-s", `${WIDTH}x${HEIGHT}`, "-i", colour],
  ...args,
  "-f",
  "image2pipe",
  "out",
];

const ffmpeg = (colour: Colour, codec: string, isRead: boolean, ...args: string[]): Made => ({
  name: `ffmpeg ${codec}, ${colour}: ${args.join(" ")}`,
  commands: [ffmpegArgs(colour, "-c:v", codec, ...args)],
  isRead,
});

/** netpbm, from a file "in" that ImageMagick makes of the samples. */
const netpbm = (colour: Colour, from: readonly string[], ...command: string[]): Made => ({
  name: `netpbm ${command.join(" ")}, ${colour}: ${from.join(" ")}`,
  commands: [
    ["/usr/bin/convert", "-size", `${WIDTH}x${HEIGHT}`, "-depth", "16", `rgba:${colour}`, ...from],
    [...command, "in"],
  ],
  isRead: true,
});

const openExr = (...command: string[]): Made => ({
  name: `OpenEXR ${command.join(" ")}`,
  commands: [
    ffmpegArgs("rgba", "-pix_fmt", "gbrapf32le", "-c:v", "exr", "-format", "half", "-compression", "zip16"),
    ["mv", "out", "in.exr"],
    command,
  ],
  isRead: false,
});

function made(): Made[] {
  const all: Made[] = [];
  for (const colour of colours) {
    for (const interlace of ["None", "PNG"])
      for (const depth of [1, 2, 4, 8, 16])
        all.push(magick(colour, "png", "-interlace", interlace, "-depth", String(depth)));
    for (const type of [
      "Grayscale",
      "GrayscaleAlpha",
      "Palette",
      "PaletteAlpha",
      "TrueColor",
      "TrueColorAlpha",
      "Bilevel",
    ])
      all.push(magick(colour, "png", "-type", type.replace("Alpha", "Matte"), "-interlace", "PNG"));
    for (const filter of ["00", "15", "25", "35", "45", "55"]) all.push(magick(colour, "png", "-quality", filter));
    for (const depth of ["8", "16"])
      for (const interlace of [[], ["-interlace"]])
        all.push(netpbm(colour, ["-depth", depth, "pam:in"], "pamtopng", ...interlace));
    for (const options of [[], ["-interlace"], ["-force"], ["-transparent", "#000000"], ["-filter", "4"]])
      all.push(netpbm(colour, ["-alpha", "off", "pnm:in"], "pnmtopng", ...options));
    for (const prediction of ["none", "sub", "up", "avg", "paeth", "mixed"])
      for (const pixels of [
        "rgb24",
        "rgba",
        "rgb48be",
        "rgba64be",
        "gray",
        "ya8",
        "gray16be",
        "ya16be",
        "monob",
        "pal8",
      ])
        if (prediction === "mixed" || pixels.startsWith("rgba"))
          all.push(ffmpeg(colour, "png", true, "-pix_fmt", pixels, "-pred", prediction));
  }
  for (const colour of ["rgba", "rgb"] as const) {
    for (const compression of ["None", "RLE", "ZIP", "ZIPS", "Piz", "Pxr24", "B44"])
      all.push(magick(colour, "exr", "-compress", compression));
    all.push(magick(colour, "pam"), magick(colour, "pam", "-depth", "8"), magick(colour, "jpeg"));
    for (const compression of ["none", "rle", "zip1", "zip16"])
      for (const format of ["half", "float"])
        for (const pixels of ["gbrapf32le", "gbrpf32le", "grayf32le"]) {
          const isRead = compression !== "rle" && pixels !== "grayf32le";
          all.push(ffmpeg(colour, "exr", isRead, "-pix_fmt", pixels, "-format", format, "-compression", compression));
        }
    for (const pixels of ["rgba", "rgb24"]) all.push(ffmpeg(colour, "qoi", true, "-pix_fmt", pixels));
    for (const pixels of ["rgba", "rgb24", "rgb48be", "rgba64be", "gray", "ya8", "gray16be", "ya16be", "monob"])
      all.push(ffmpeg(colour, "pam", pixels === "rgba", "-pix_fmt", pixels));
    all.push(ffmpeg(colour, "mjpeg", false, "-pix_fmt", "yuvj444p"));
  }
  all.push(openExr("exrmaketiled", "in.exr", "out"));
  all.push(openExr("exrmultipart", "-combine", "-i", "in.exr", "in.exr", "-o", "out"));
  all.push(openExr("exrmakepreview", "in.exr", "out"));
  all.push(openExr("exrstdattr", "-capDate", "2026:05:03 10:00:00", "in.exr", "out"));
  return all;
}

function run(folder: string, command: readonly string[]): Buffer {
  const { status, stdout, stderr, error } = spawnSync(command[0]!, command.slice(1), {
    cwd: folder,
    maxBuffer: 2 ** 28,
  });
  if (error) throw error;
  if (status !== 0) throw new Error(`${command.join(" ")}: ${String(stderr).slice(0, 300)}`);
  return stdout;
}

/** RGBA as another tool reads a file, from 0 to 1; of OpenEXR, as it is. */
function reference(folder: string, file: Uint8Array): Float64Array {
  const count = WIDTH * HEIGHT;
  if (file[0] === 0x76) {
    // As it is in the file: green, blue, red, and alpha where there is any.
    const out = run(folder, ["ffmpeg", "-loglevel", "error", "-i", "out", "-f", "rawvideo", "-"]);
    const planes = new Float32Array(Uint8Array.from(out).buffer);
    return Float64Array.from(
      { length: count * 4 },
      (_, at) => planes[[2, 0, 1, 3][at % 4]! * count + Math.floor(at / 4)] ?? 1,
    );
  }
  if (file[0] === 0x50) return pamSamples(run(folder, ["pamdepth", "255", "out"]));
  if (file[0] === 0x89) return pamSamples(run(folder, ["pngtopam", "-alphapam", "out"]));
  const out = run(folder, ["ffmpeg", "-loglevel", "error", "-i", "out", "-f", "rawvideo", "-pix_fmt", "rgba", "-"]);
  return Float64Array.from(out, (value) => value / 255);
}

/** Samples of a PAM file of any depth and number of channels, as RGBA. */
function pamSamples(file: Buffer): Float64Array {
  const start = file.indexOf("ENDHDR\n") + 7;
  const header = file.subarray(0, start).toString("latin1");
  const field = (name: string) => Number(new RegExp(`^${name} (\\d+)$`, "m").exec(header)![1]);
  const [channels, most] = [field("DEPTH"), field("MAXVAL")];
  const sample = (index: number) => (most > 255 ? file.readUInt16BE(start + index * 2) : file[start + index]!) / most;
  return Float64Array.from({ length: WIDTH * HEIGHT * 4 }, (_, at) => {
    const [pixel, channel] = [Math.floor(at / 4) * channels, at % 4];
    if (channel === 3) return channels % 2 === 0 ? sample(pixel + channels - 1) : 1;
    return sample(pixel + (channels < 3 ? 0 : channel));
  });
}

/** Largest difference of a channel, in units of what the picture's depth tells apart. */
function difference(picture: Picture, expected: Float64Array, isLinear: boolean): number {
  if (picture.width !== WIDTH || picture.height !== HEIGHT) return Infinity;
  let largest = 0;
  if (picture.depth === "8-bit")
    picture.pixels.forEach((value, at) => (largest = Math.max(largest, Math.abs(value - expected[at]! * 255))));
  else {
    const values = new Float32Array(redepth(picture, "float").pixels.slice().buffer);
    values.forEach((value, at) => {
      const alpha = expected[at - (at % 4) + 3]!;
      const wanted = isLinear || at % 4 === 3 ? expected[at]! : srgbToLinear(expected[at]!) * alpha;
      largest = Math.max(largest, Math.abs(value - wanted) * 65_535);
    });
  }
  return largest;
}

/** Pictures of other tools, in every kind that they write: read with the right pixels, or refused by name. */
export const foreignPictures: Measure = () => {
  const folder = mkdtempSync(path.join(tmpdir(), "kinetocache-foreign-"));
  try {
    for (const colour of colours) writeFileSync(path.join(folder, colour), samples(colour));
    const wrong: string[] = [];
    let [read, refused, unmade] = [0, 0, 0];
    for (const { name, commands, isRead } of made()) {
      rmSync(path.join(folder, "out"), { force: true });
      let file: Uint8Array;
      try {
        const said = commands.map((command) => run(folder, command)).at(-1)!;
        if (said.length > 0) writeFileSync(path.join(folder, "out"), said);
        file = new Uint8Array(readFileSync(path.join(folder, "out")));
      } catch {
        // The tool does not write this kind.
        unmade++;
        continue;
      }
      try {
        const picture = file[0] === 0x89 ? readPng(file) : readForeignFrame(file);
        const off = difference(picture, reference(folder, file), file[0] === 0x76);
        if (off <= 0.51) read++;
        else wrong.push(`${name}: off by ${off.toFixed(1)}`);
      } catch (error) {
        if (error instanceof FormatError && !isRead) refused++;
        else wrong.push(`${name}: ${(error as Error).message}`);
      }
    }
    return Promise.resolve({
      value: wrong.length,
      unit: "files",
      limit: "0",
      read,
      refused,
      unmade,
      wrong: wrong.slice(0, 20),
    });
  } finally {
    rmSync(folder, { recursive: true });
  }
};
