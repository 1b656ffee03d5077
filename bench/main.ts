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
  hitShare,
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
import { unsafeActs } from "./safety";
import { holdFilesPerSecond, killTest, ledgerScrollFrameMs, restoreFilesPerSecond, scanVsFind } from "./sweep";

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
};

const { only } = parseArgs({ options: { only: { type: "string" } } }).values;
if (only !== undefined && !Object.hasOwn(FIGURES, only)) {
  console.error(`There is no figure "${only}"; there are ${Object.keys(FIGURES).join(", ")}`);
  process.exit(2);
}

const results: Record<string, Measured> = {};
let complete = true;
for (const name of only ? [only] : Object.keys(FIGURES)) {
  console.error(`Measuring ${name} …`);
  try {
    results[name] = await FIGURES[name]!();
  } catch (error) {
    // The other figures are still worth having.
    console.error(`${name} could not be measured:`, error);
    complete = false;
  }
}
console.log(JSON.stringify(results, null, 2));
process.exit(complete ? 0 : 1);
