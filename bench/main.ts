import { parseArgs } from "node:util";
import { cacheOverhead, loopHitShare } from "./cache";
import type { Measure, Measured } from "./figure";
import { gpuParityMaxDiff } from "./graphics";
import { composite8LayersMs, gaussianBlurVsLibvips, glowMs, gradeMs } from "./kernels";
import { machineScreenReadyMs, memoryReleaseMs, probeCpuShare, workingBufferError } from "./machine";
import { bundleGzipBytes, firstPaintMs } from "./page";
import { cachedPlayback, parallelEfficiency } from "./playback";
import {
  bakeGain,
  cached4k,
  seekToShownMs,
  startToFirstFrameMs,
  stillBranchRenders,
  stopFillMs,
  terrainFrameMs,
  undoRenders,
  variantSwitchRenders,
} from "./preview";
import {
  capOvershootBytes,
  indexRebuild,
  openVolumeMs,
  readBackBrowser,
  readBackServerPacked,
  readBackServerPlain,
  realTimeFromDisk,
} from "./storage";
import { exportRate } from "./export";
import { foreignPictures } from "./foreign";
import { hitShare, hitShareJumps, hitShareScrub } from "./hitShare";
import { unsafeActs } from "./safety";
import { killTest } from "./kills";
import { holdFilesPerSecond, ledgerScrollFrameMs, restoreFilesPerSecond, scanVsFind } from "./sweep";

const FIGURES: Readonly<Record<string, Measure>> = {
  gaussianBlurVsLibvips,
  composite8LayersMs,
  gradeMs,
  glowMs,
  loopHitShare,
  cacheOverhead,
  cachedPlayback,
  parallelEfficiency,
  readBackBrowser,
  readBackServerPlain,
  readBackServerPacked,
  realTimeFromDisk,
  capOvershootBytes,
  indexRebuild,
  openVolumeMs,
  firstPaintMs,
  bundleGzipBytes,
  memoryReleaseMs,
  probeCpuShare,
  machineScreenReadyMs,
  workingBufferError,
  gpuParityMaxDiff,
  stopFillMs,
  undoRenders,
  variantSwitchRenders,
  stillBranchRenders,
  hitShare,
  hitShareScrub,
  hitShareJumps,
  bakeGain,
  terrainFrameMs,
  cached4k,
  startToFirstFrameMs,
  seekToShownMs,
  scanVsFind,
  holdFilesPerSecond,
  restoreFilesPerSecond,
  ledgerScrollFrameMs,
  killTest,
  unsafeActs,
  foreignPictures,
  exportRate,
};

const { values, positionals } = parseArgs({ options: { only: { type: "boolean" } }, allowPositionals: true });
const unknown = positionals.find((name) => !Object.hasOwn(FIGURES, name));
if (unknown !== undefined || (values.only && positionals.length === 0)) {
  const wrong = unknown === undefined ? "--only needs names of figures" : `There is no figure "${unknown}"`;
  console.error(`${wrong}; there are ${Object.keys(FIGURES).join(", ")}`);
  process.exit(2);
}

const results: Record<string, Measured> = {};
let complete = true;
for (const name of positionals.length > 0 ? positionals : Object.keys(FIGURES)) {
  console.error(`Measuring ${name} …`);
  const startMs = performance.now();
  try {
    results[name] = await FIGURES[name]!();
    // Known at once, also when a later one takes long.
    console.error(JSON.stringify({ [name]: results[name], tookS: Math.round((performance.now() - startMs) / 1000) }));
  } catch (error) {
    // The other figures are still worth having.
    console.error(`${name} could not be measured:`, error);
    complete = false;
  }
}
console.log(JSON.stringify(results, null, 2));
process.exit(complete ? 0 : 1);
