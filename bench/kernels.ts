import { boxForSigma, boxReach, sigmaOfRadius } from "@kinetocache/core";
import sharp from "sharp";
import { randomPixels, upload } from "../testing/pictures";
import { nodeKernels } from "../testing/renderer";
import type { Measure } from "./figure";
import { inTurn, rounded } from "./ratio";

const WIDTH = 1920;
const HEIGHT = 1080;
const PIXELS = WIDTH * HEIGHT;
const BYTES = PIXELS * 16;
const RADIUS = 24;
// Columns of a strip, as the renderer takes them.
const STRIP = 192;

function setUp() {
  const kernels = nodeKernels();
  const source = upload(kernels, randomPixels(WIDTH, HEIGHT, 5));
  const [target, between] = [kernels.arena.allocate(BYTES), kernels.arena.allocate(BYTES)];
  const scratch = kernels.arena.allocate((WIDTH + 1000) * STRIP * 16);
  return { ...kernels, source, target, between, scratch };
}

/** Gaussian blur of float32 pixels against libvips on 8-bit ones, both on one thread. */
export const gaussianBlurVsLibvips: Measure = async () => {
  const { run, source, target, between, scratch } = setUp();
  const sigma = sigmaOfRadius(RADIUS);
  const { radius, alpha } = boxForSigma(sigma);
  sharp.concurrency(1);
  sharp.cache(false);
  const pixels = Buffer.alloc(PIXELS * 4, randomBytes());
  const raw = { width: WIDTH, height: HEIGHT, channels: 4 as const };
  const { ours, libvips } = await inTurn({
    ours: () => {
      run.gaussianRows(between, WIDTH, source, WIDTH, HEIGHT, 0, radius, alpha, scratch, 1);
      run.gaussianColumns(target, HEIGHT, between, WIDTH, HEIGHT, 0, radius, alpha, scratch, STRIP, 1, 0, WIDTH);
    },
    libvips: () => sharp(pixels, { raw }).blur(sigma).raw().toBuffer(),
  });
  return {
    value: rounded(ours / libvips),
    unit: "ratio",
    limit: "at most 0.8",
    oursMs: rounded(ours),
    libvipsMs: rounded(libvips),
    radiusPx: RADIUS,
    sigmaPx: sigma,
    reachPx: boxReach({ radius, alpha }),
  };
};

function randomBytes(): Buffer {
  return Buffer.from(Uint8Array.from({ length: 4093 }, (_, i) => (i * i * 31 + i * 7) & 255));
}

async function againstCopy(copies: number, work: (scene: ReturnType<typeof setUp>) => void) {
  const scene = setUp();
  const { run, source, target } = scene;
  const { ms, copyMs } = await inTurn({
    ms: () => work(scene),
    copyMs: () => {
      for (let n = 0; n < copies; n++) run.copyRows(target, WIDTH, source, WIDTH, WIDTH, HEIGHT);
    },
  });
  return {
    value: rounded(ms),
    unit: "ms",
    limit: "none, with its ratio to a plain copy",
    ratioToCopy: rounded(ms / copyMs),
    copyMs: rounded(copyMs),
    copies,
  };
}

/** Eight layers blended over each other, in bands as the renderer does it, against copying eight buffers. */
export const composite8LayersMs: Measure = () =>
  againstCopy(8, ({ run, source, target }) => {
    const band = 8;
    run.fill(target, PIXELS, 0, 0, 0, 0);
    for (let y = 0; y < HEIGHT; y += band) {
      const offset = y * WIDTH * 16;
      for (let layer = 0; layer < 8; layer++) {
        run.composite(target + offset, WIDTH, source + offset, WIDTH, WIDTH, Math.min(band, HEIGHT - y), 0.8, 0);
      }
    }
  });

export const gradeMs: Measure = () =>
  againstCopy(1, ({ run, source, target }) => run.grade(target, source, PIXELS, 1.1, 1, 0.9, 1.2, 0.18, 1.1));

export const glowMs: Measure = () =>
  againstCopy(1, ({ run, source, target, between, scratch }) => {
    const { radius, alpha } = boxForSigma(sigmaOfRadius(60) / 2);
    const [w, h] = [WIDTH / 2, HEIGHT / 2];
    const second = between + w * h * 16;
    run.brightPass(between, source, WIDTH, HEIGHT, 0.5);
    run.gaussianRows(second, w, between, w, h, 0, radius, alpha, scratch, 0);
    run.gaussianColumns(between, h, second, w, h, 0, radius, alpha, scratch, STRIP, 0, 0, w);
    run.copyRows(target, WIDTH, source, WIDTH, WIDTH, HEIGHT);
    run.addUpsampled(target, WIDTH, HEIGHT, between, w, h, 0, 0, 0.8);
  });
