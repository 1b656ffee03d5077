import { availableParallelism } from "node:os";
import { parseArgs } from "node:util";
import { cacheOverhead, loopHitShare } from "./cache";
import { bakeGain, bakeSuggestionWins } from "./bakes";
import type { Measure, Measured } from "./figure";
import { gpuParityMaxDiff } from "./graphics";
import { composite8LayersMs, gaussianBlurVsLibvips, glowMs, gradeMs } from "./kernels";
import { machineScreenReadyMs, memoryReleaseMs, probeCpuShare, workingBufferError } from "./machine";
import { bundleGzipBytes, firstPaintMs } from "./page";
import { cachedPlayback, parallelEfficiency } from "./playback";
import {
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
import { engineTurnMs } from "./engineTurn";
import { writesAtCap } from "./eviction";
import { exportRate } from "./export";
import { reachabilityMs } from "./reach";
import { foreignPictures } from "./foreign";
import { largeClipOpenMs, serverRangeRead } from "./media";
import { hitShare, hitShareJumps, hitShareScrub } from "./hitShare";
import { composeFrameMs, importTimelineMs, keyframeEditMs, neutralEditRenders } from "./timeline";
import { unsafeActs } from "./safety";
import { costRepeat, fillEstimate, memoryAfterSwitchMs } from "./truth";
import { killTest } from "./kills";
import { holdFilesPerSecond, ledgerScrollFrameMs, restoreFilesPerSecond, scanVsFind, sweepIdleBytes } from "./sweep";

/** What takes time, and needs the machine for itself. */
const TIMED: Readonly<Record<string, Measure>> = {
  gaussianBlurVsLibvips,
  composite8LayersMs,
  gradeMs,
  glowMs,
  cachedPlayback,
  engineTurnMs,
  parallelEfficiency,
  readBackBrowser,
  readBackServerPlain,
  readBackServerPacked,
  realTimeFromDisk,
  indexRebuild,
  openVolumeMs,
  writesAtCap,
  firstPaintMs,
  memoryReleaseMs,
  probeCpuShare,
  machineScreenReadyMs,
  memoryAfterSwitchMs,
  costRepeat,
  fillEstimate,
  stopFillMs,
  bakeGain,
  bakeSuggestionWins,
  terrainFrameMs,
  cached4k,
  startToFirstFrameMs,
  seekToShownMs,
  scanVsFind,
  holdFilesPerSecond,
  restoreFilesPerSecond,
  ledgerScrollFrameMs,
  exportRate,
  reachabilityMs,
  serverRangeRead,
  largeClipOpenMs,
  composeFrameMs,
  keyframeEditMs,
  importTimelineMs,
};

/** What is counted or compared, whatever else the machine does meanwhile; what takes longest first. */
const COUNTED: Readonly<Record<string, Measure>> = {
  killTest,
  unsafeActs,
  cacheOverhead,
  loopHitShare,
  capOvershootBytes,
  sweepIdleBytes,
  bundleGzipBytes,
  workingBufferError,
  gpuParityMaxDiff,
  undoRenders,
  variantSwitchRenders,
  stillBranchRenders,
  hitShare,
  hitShareScrub,
  hitShareJumps,
  foreignPictures,
  neutralEditRenders,
};

const FIGURES = { ...TIMED, ...COUNTED };

const { values, positionals } = parseArgs({ options: { only: { type: "boolean" } }, allowPositionals: true });
const unknown = positionals.find((name) => !Object.hasOwn(FIGURES, name));
if (unknown !== undefined || (values.only && positionals.length === 0)) {
  const wrong = unknown === undefined ? "--only needs names of figures" : `There is no figure "${unknown}"`;
  console.error(`${wrong}; there are ${Object.keys(FIGURES).join(", ")}`);
  process.exit(2);
}

const results: Record<string, Measured> = {};
let complete = true;

async function measure(name: string): Promise<void> {
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

const wanted = new Set(positionals.length > 0 ? positionals : Object.keys(FIGURES));
for (const name of Object.keys(TIMED)) if (wanted.has(name)) await measure(name);
const counted = Object.keys(COUNTED).filter((name) => wanted.has(name));
const count = async (): Promise<void> => {
  for (let name = counted.shift(); name !== undefined; name = counted.shift()) await measure(name);
};
// Each of them waits now and then, for a page or for a drive.
await Promise.all(Array.from({ length: availableParallelism() + 1 }, count));
console.log(JSON.stringify(results, null, 2));
process.exit(complete ? 0 : 1);
