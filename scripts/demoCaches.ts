import { createHash } from "node:crypto";
import { closeSync, existsSync, ftruncateSync, mkdirSync, openSync, rmSync, utimesSync, writeFileSync } from "node:fs";
import path from "node:path";
import { fileURLToPath } from "node:url";
import { parseArgs } from "node:util";

// Makes the simulated cache folders of the demo afresh: some thousands of sparse files of several Flyway episodes on the
// simulated drives. By their stated sizes they are many gigabytes; on the real drive they take next to nothing.

const DAY_MS = 24 * 3600 * 1000;
const MIB = 2 ** 20;

interface Made {
  readonly folder: string;
  readonly name: string;
  readonly count?: number;
  readonly bytes: number;
  readonly ageDays: number;
}

const many = (folder: string, name: string, count: number, bytes: number, ageDays: number): Made => ({
  folder,
  name,
  count,
  bytes,
  ageDays,
});
const one = (folder: string, name: string, bytes: number, ageDays: number): Made => ({ folder, name, bytes, ageDays });

/** On the fast drive: what is worked on now, and what was. */
const FAST: readonly Made[] = [
  many("Flyway 104/frames", "roost.#.exr", 900, 12 * MIB, 1),
  many("Flyway 104/waveforms", "#.peak", 60, 0.4 * MIB, 2),
  many("Flyway Titles v3/frames", "dusk.#.exr", 640, 15 * MIB, 23),
  many("Flyway Titles v4/frames", "dusk.#.exr", 320, 15 * MIB, 2),
  many("Flyway Titles v4/backups", "titles #.bak", 6, 2 * MIB, 3),
  many("Flyway 101/frames", "marsh.#.exr", 520, 12 * MIB, 40),
  many("Flyway 101/baked", "haze.#.exr", 240, 14 * MIB, 40),
  many("cache_0417", "#.bin", 180, 27 * MIB, 112),
  many("scratch", "take #.tmp", 30, 40 * MIB, 9),
  many("logs", "render #.log", 90, 0.2 * MIB, 12),
];

/** On the spinning one: what was put away. */
const SPINNING: readonly Made[] = [
  many("Flyway Estuary/frames", "map.#.exr", 700, 32 * MIB, 61),
  many("Flyway Estuary/proxies", "heron #.mp4", 14, 180 * MIB, 61),
  many("Flyway 102/proxies", "wader #.mp4", 30, 160 * MIB, 75),
  many("Flyway 102/thumbnails", "#.thumb", 800, 0.05 * MIB, 75),
  many("Flyway 102/backups", "flyway 102 #.bak", 12, 3 * MIB, 70),
  many("Flyway 103/render cache", "tern.#.exr", 300, 12 * MIB, 30),
  // Its cache folder holds footage that somebody put there: it is not to be taken.
  many("Flyway 105/frames", "delta.#.exr", 120, 12 * MIB, 90),
  one("Flyway 105/frames/footage", "only copy.mov", 900 * MIB, 90),
  one("Flyway 102/footage", "wader 1.mov", 600 * MIB, 80),
];

/** Projects that are there; those of Flyway Estuary are gone. */
const PROJECTS = ["Flyway 101", "Flyway 102", "Flyway 103", "Flyway 104", "Flyway 105", "Flyway Titles v4"];

function sparse(file: string, bytes: number, usedMs: number): void {
  const open = openSync(file, "w");
  ftruncateSync(open, Math.round(bytes));
  closeSync(open);
  utimesSync(file, usedMs / 1000, usedMs / 1000);
}

function make(root: string, all: readonly Made[], nowMs: number): number {
  let files = 0;
  const ages = new Map<string, number>();
  for (const { folder, name, count = 1, bytes, ageDays } of all) {
    const place = path.join(root, folder);
    mkdirSync(place, { recursive: true });
    for (let n = 0; n < count; n++) {
      // Backups and the like are a day apart.
      const usedMs = nowMs - ageDays * DAY_MS - (name.includes("bak") ? n * DAY_MS : n * 1000);
      sparse(path.join(place, name.replace("#", String(n + 1).padStart(4, "0"))), bytes, usedMs);
      files++;
    }
    ages.set(place, Math.min(ageDays, ages.get(place) ?? Infinity));
  }
  // Folders look as old as what is in them.
  for (const [place, days] of ages) utimesSync(place, (nowMs - days * DAY_MS) / 1000, (nowMs - days * DAY_MS) / 1000);
  return files;
}

/** Project files in the documented format, with the little media that they refer to; one clip is missing. */
function makeProjects(root: string): void {
  for (const name of PROJECTS) {
    const folder = path.join(root, name);
    mkdirSync(path.join(folder, "footage"), { recursive: true });
    const media = [1, 2, 3].map((n) => {
      const content = `${name}, clip ${n}: `.repeat(4000 * n);
      const clip = `footage/clip ${n}.mov`;
      const isMissing = name === "Flyway 102" && n === 3;
      if (!isMissing) writeFileSync(path.join(folder, clip), content);
      return { path: clip, bytes: content.length, sha256: createHash("sha256").update(content).digest("hex") };
    });
    const project = { format: "kinetocache-project", version: 1, name, media };
    writeFileSync(path.join(folder, `${name}.project.json`), `${JSON.stringify(project, null, 1)}\n`);
    // Somebody put the missing clip somewhere else, under another name.
    if (name === "Flyway 102") {
      const found = path.join(root, "somewhere else");
      mkdirSync(found, { recursive: true });
      writeFileSync(path.join(found, "wader final.mov"), `${name}, clip 3: `.repeat(12_000));
    }
  }
}

/** @param data folder of the server's data @returns the folders to register, and how many files are in them */
export function makeDemoCaches(
  data: string,
  nowMs = Date.now(),
): { folders: string[]; projects: string; files: number } {
  const drive = (name: string, folder: string) => path.join(data, "drives", name, folder);
  const fast = drive("fast-solid-state", "Flyway caches");
  const spinning = drive("spinning", "Flyway caches");
  const projects = drive("slower-solid-state", "Flyway projects");
  for (const folder of [fast, spinning, projects]) {
    rmSync(folder, { recursive: true, force: true });
    mkdirSync(folder, { recursive: true });
  }
  makeProjects(projects);
  return { folders: [fast, spinning], projects, files: make(fast, FAST, nowMs) + make(spinning, SPINNING, nowMs) };
}

if (process.argv[1] === fileURLToPath(import.meta.url)) {
  const { values } = parseArgs({
    options: { data: { type: "string", default: ".data/demo" }, "if-missing": { type: "boolean", default: false } },
  });
  const data = path.resolve(values.data);
  if (!(values["if-missing"] && existsSync(path.join(data, "drives/spinning/Flyway caches")))) {
    const { folders, projects, files } = makeDemoCaches(data);
    console.log(`${files} simulated cache files were made in\n  ${folders.join("\n  ")}`);
    console.log(`Their projects are in\n  ${projects}\nThe demo has them registered: look under Sweep.`);
  }
}
