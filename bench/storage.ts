import { spawnSync } from "node:child_process";
import { mkdir, mkdtemp, rm, statfs, writeFile } from "node:fs/promises";
import { tmpdir } from "node:os";
import path from "node:path";
import type { FormatTrial, Packing } from "@kinetocache/core";
import { Volume } from "../packages/server/src/volumes/volume";
import { startedServer } from "../testing/startedServer";
import { stored } from "../testing/stored";
import { Driver } from "./browser";
import type { Figure, Measure } from "./figure";
import { median, rounded } from "./ratio";
import { undisturbed } from "./steal";

const MIB = 2 ** 20;
const ROUNDS = 3;
const SERVER_ROUNDS = 2;

interface KeptTrials {
  readonly key: string;
  readonly value: { readonly atMs: number; readonly results: readonly FormatTrial[] };
}

/** What the last measurement of formats found, as the application keeps it. */
async function keptTrials({ page }: Driver): Promise<KeptTrials["value"] | undefined> {
  return (await stored<KeptTrials>(page, "settings")).find(({ key }) => key === "formatTrial")?.value;
}

/** Measures the formats at the location that is chosen on Storage, through the whole path that playback takes. */
async function measureFormats(driver: Driver, location: string): Promise<Record<Packing, FormatTrial>> {
  const before = (await keptTrials(driver))?.atMs ?? 0;
  await driver.page.getByRole("button", { name: "Measure formats here" }).click();
  for (;;) {
    const kept = await keptTrials(driver);
    if (kept && kept.atMs > before) {
      const of = (packing: Packing) =>
        kept.results.find((trial) => trial.location === location && trial.packing === packing)!;
      return { plain: of("plain"), packed: of("packed"), automatic: of("automatic") };
    }
    await driver.page.waitForTimeout(300);
  }
}

/** Opens a composition and waits until memory has enough frames of it to measure with. */
async function openWithFrames(driver: Driver, name: string, frames: number): Promise<void> {
  await driver.open();
  await driver.openComposition(name);
  await driver.type("Idle delay", "0");
  await driver.hasFrames(frames);
  await driver.choose("background", "Off");
  await driver.page.waitForTimeout(2000);
  await driver.goTo("Storage");
}

/**
 * Runs in the page: reads files of the browser's own storage at once, in a worker, as often as there are frames. Each
 * goes into a buffer of its own, as a frame has to; and then all into one, which no frame can.
 */
function readRaw({ frames, bytes }: { frames: number; bytes: number }): Promise<{ own: number; one: number }> {
  const code = `
    onmessage = async ({ data: { frames, bytes } }) => {
      const root = await navigator.storage.getDirectory();
      const handle = await (await root.getFileHandle("raw", { create: true })).createSyncAccessHandle();
      const content = new Uint8Array(bytes).map((_, i) => i);
      for (let n = 0; n < frames; n++) handle.write(content, { at: n * bytes });
      handle.flush();
      const kept = [];
      const start = performance.now();
      for (let n = 0; n < frames; n++) {
        const own = new Uint8Array(bytes);
        handle.read(own, { at: n * bytes });
        kept.push(own);
      }
      const middle = performance.now();
      for (let n = 0; n < frames; n++) handle.read(content, { at: n * bytes });
      const end = performance.now();
      handle.close();
      await root.removeEntry("raw");
      const rate = (ms) => (frames * bytes * 1000) / ms;
      postMessage({ own: rate(middle - start), one: rate(end - middle), kept: kept.length });
    };`;
  return new Promise((resolve, reject) => {
    const worker = new Worker(URL.createObjectURL(new Blob([code], { type: "text/javascript" })));
    worker.onmessage = ({ data }: MessageEvent<{ own: number; one: number }>) => {
      worker.terminate();
      resolve(data);
    };
    worker.onerror = ({ message }) => reject(new Error(message));
    worker.postMessage({ frames, bytes });
  });
}

/** Frames of Estuary Map at 50 % from the browser's own storage, over raw synchronous reads of the same bytes. */
export const readBackBrowser: Measure = () =>
  Driver.with(async (driver) => {
    await openWithFrames(driver, "Estuary Map", 16);
    await driver.page.getByRole("radio", { name: "This browser" }).check();
    const shares: number[] = [];
    const rates: number[] = [];
    const raw: { own: number; one: number }[] = [];
    for (let round = -1; round < ROUNDS; round++) {
      const { plain } = await measureFormats(driver, "browser");
      const reference = await driver.page.evaluate(readRaw, { frames: plain.frames, bytes: plain.storedBytes });
      if (round < 0) continue;
      shares.push(plain.readRate / reference.own);
      rates.push(plain.readRate / MIB);
      raw.push(reference);
    }
    return {
      value: rounded(median(shares)),
      unit: "share of the raw rate",
      limit: "at least 0.8",
      readMBs: rounded(median(rates)),
      rawMBs: rounded(median(raw.map(({ own }) => own / MIB))),
      rawIntoOneBufferMBs: rounded(median(raw.map(({ one }) => one / MIB))),
      eachRound: shares.map((share) => rounded(share)),
    };
  });

interface Path {
  readonly rate: number;
  readonly bytes: number;
}

const measured = new Map<string, Promise<Record<Packing, Path>>>();

/** Medians of reading frames of a composition at 50 % back from the server. */
function fromServer(composition: string): Promise<Record<Packing, Path>> {
  const before = measured.get(composition);
  if (before) return before;
  const now = Driver.with(async (driver) => {
    await openWithFrames(driver, composition, 16);
    const trials: Record<Packing, FormatTrial>[] = [];
    for (let round = -1; round < SERVER_ROUNDS; round++) {
      const trial = await measureFormats(driver, "main");
      if (round >= 0) trials.push(trial);
    }
    const of = (packing: Packing): Path => ({
      rate: median(trials.map((trial) => trial[packing].readRate / MIB)),
      bytes: median(trials.map((trial) => trial[packing].storedBytes)),
    });
    return { plain: of("plain"), packed: of("packed"), automatic: of("automatic") };
  });
  measured.set(composition, now);
  return now;
}

/** Frames of Estuary Map at 50 % from the server: megabytes of pixels a second, unpacked. */
export const readBackServerPlain: Measure = async () => {
  const { plain } = await fromServer("Estuary Map");
  return { value: rounded(plain.rate), unit: "MB/s of pixels", limit: "none yet", bytesAFrame: plain.bytes };
};

/** Packed, and where the product chooses by itself: on flat artwork, and on a composition with grain. */
export const readBackServerPacked: Measure = async () => {
  const { plain, packed, automatic } = await fromServer("Estuary Map");
  const grainy = await fromServer("Night Roost");
  return {
    value: rounded(packed.rate),
    unit: "MB/s of pixels",
    limit: "at least 1.5 times plain, and automatic never below plain",
    timesPlain: rounded(packed.rate / plain.rate),
    bytesAFrame: packed.bytes,
    automaticTimesPlain: rounded(automatic.rate / plain.rate),
    withGrain: {
      plainMBs: rounded(grainy.plain.rate),
      packedTimesPlain: rounded(grainy.packed.rate / grainy.plain.rate),
      automaticTimesPlain: rounded(grainy.automatic.rate / grainy.plain.rate),
      automaticBytesAFrame: grainy.automatic.bytes,
    },
  };
};

/** Takes of Night Roost at 50 % whose frames are all on disk and none in memory. */
async function takesFromDisk(location: string | undefined): Promise<Figure> {
  return Driver.with(async (driver) => {
    await driver.open();
    if (location !== undefined) {
      await driver.storeIn(location);
      await driver.goTo("Preview");
    }
    await driver.fill();
    // All of it is written once the queue is empty.
    await driver.page.waitForFunction(
      () => /2(39|40|41) fr/.test(document.querySelector<HTMLElement>('.gauge[href="/storage"]')?.innerText ?? ""),
      undefined,
      { polling: 500 },
    );
    await driver.choose("background", "Off");
    const { result, stolen } = await undisturbed(async () => {
      await driver.page.reload();
      await driver.verdict("in memory");
      await driver.page.waitForTimeout(3000);
      return driver.take();
    });
    const { summary, heldAtStart } = result;
    return {
      value: rounded(summary.onTimeShare, 4),
      unit: "share on time",
      limit: "at least 0.99",
      heldInMemoryAtStart: heldAtStart.memory,
      framesFromDisk: summary.hits.disk ?? 0,
      rendered: summary.hits.rendered ?? 0,
      stolenShare: rounded(stolen),
    };
  });
}

export const realTimeFromDisk: Measure = async () => ({
  server: await takesFromDisk(undefined),
  browser: await takesFromDisk("This browser"),
});

const CAP = 64 * MIB;
const WRITERS = 8;
const SECONDS = 60;

/** Bytes that are taken on a drive, all at one instant. */
async function takenOn(folder: string): Promise<number> {
  const { blocks, bfree, bsize } = await statfs(folder);
  return (blocks - bfree) * bsize;
}

/**
 * Eight writers for a minute against a cap that holds some dozen frames. The volume is on a drive of its own, in memory,
 * so that it can be asked at any instant how much is taken; adding files up takes time, in which some come and go.
 */
export const capOvershootBytes: Measure = async () => {
  const folder = await mkdtemp(path.join(tmpdir(), "kinetocache-bench-"));
  const data = path.join(folder, "data");
  await mkdir(data);
  const { status } = spawnSync("mount", ["-t", "tmpfs", "-o", "size=4G", "tmpfs", data]);
  if (status !== 0) throw new Error("A drive of its own needs the right to mount one");
  // Frames in use are spared; on this clock they are old after a second.
  const clock = `const start = Date.now(); const now = Date.now; Date.now = () => start + (now() - start) * 600;`;
  await writeFile(path.join(folder, "clock.mjs"), clock);
  const { child, origin, cookie } = await startedServer(data, 0, path.join(folder, "clock.mjs"));
  try {
    const ask = (target: string, init: RequestInit) =>
      fetch(origin + target, { ...init, headers: { origin, cookie, "content-type": "application/json" } });
    await ask("/api/locations/main", { method: "PUT", body: JSON.stringify({ capBytes: CAP }) });
    // What the server keeps beside frames.
    const before = await takenOn(data);
    const endMs = performance.now() + SECONDS * 1000;
    let [written, refused] = [0, 0];
    const write = async () => {
      while (performance.now() < endMs) {
        const content = new Uint8Array(Math.floor(MIB * (0.2 + 4 * Math.random())));
        const key = crypto.randomUUID().replaceAll("-", "");
        const target = `/api/locations/main/frames/${key}?owner=bench&format=pam&costMs=1`;
        const { status } = await ask(target, { method: "PUT", body: content as BodyInit });
        if (status === 204) written++;
        else if (status === 507) refused++;
        else throw new Error(`The server answered ${status}`);
      }
    };
    let [most, looks] = [0, 0];
    const watch = async () => {
      for (; performance.now() < endMs; looks++) most = Math.max(most, (await takenOn(data)) - before);
    };
    await Promise.all([...Array.from({ length: WRITERS }, write), watch()]);
    return {
      value: Math.max(0, most - CAP),
      unit: "bytes",
      limit: "0",
      mostBytes: most,
      capBytes: CAP,
      framesWritten: written,
      refused,
      looks,
    };
  } finally {
    const ended = new Promise((resolve) => child.once("exit", resolve));
    child.kill("SIGKILL");
    await ended;
    spawnSync("umount", [data]);
    await rm(folder, { recursive: true, force: true });
  }
};

const STORED = 100_000;

let opened: Promise<{ rebuildMs: number; intactMs: number; listMs: number }> | undefined;

/** Opens a volume of 100,000 frames without its index, and with it. */
function openStored() {
  opened ??= (async () => {
    const folder = await mkdtemp(path.join(tmpdir(), "kinetocache-bench-"));
    try {
      for (let owner = 0; owner < 4; owner++) {
        const place = path.join(folder, "frames", `owner-${owner}`);
        await mkdir(place, { recursive: true });
        for (let n = owner; n < STORED; n += 4 * 50)
          await Promise.all(
            Array.from({ length: 50 }, (_, i) => n + i * 4)
              .filter((index) => index < STORED)
              .map((index) =>
                writeFile(path.join(place, `${index.toString(16).padStart(32, "0")}-0badcafe-40.qoi`), "x"),
              ),
          );
      }
      const list = () => spawnSync("find", [folder, "-printf", "%p %s %T@\n"], { maxBuffer: 2 ** 28 });
      list();
      const timed = async <T>(work: () => Promise<T> | T): Promise<{ ms: number; result: T }> => {
        const start = performance.now();
        const result = await work();
        return { ms: performance.now() - start, result };
      };
      const rounds = { rebuild: [] as number[], intact: [] as number[], list: [] as number[] };
      for (let round = 0; round < 3; round++) {
        await rm(path.join(folder, "index.bin"), { force: true });
        const rebuilt = await timed(() => Volume.open(folder));
        if (rebuilt.result.frames.keys().length !== STORED)
          throw new Error(`${rebuilt.result.frames.keys().length} were found`);
        await rebuilt.result.close();
        const intact = await timed(() => Volume.open(folder));
        if (intact.result.frames.keys().length !== STORED)
          throw new Error(`${intact.result.frames.keys().length} were found`);
        await intact.result.close();
        rounds.rebuild.push(rebuilt.ms);
        rounds.intact.push(intact.ms);
        rounds.list.push((await timed(list)).ms);
      }
      return { rebuildMs: median(rounds.rebuild), intactMs: median(rounds.intact), listMs: median(rounds.list) };
    } finally {
      await rm(folder, { recursive: true, force: true });
    }
  })();
  return opened;
}

export const indexRebuild: Measure = async () => {
  const { rebuildMs, listMs } = await openStored();
  return {
    value: rounded(rebuildMs / 1000),
    unit: "s",
    limit: "at most 3",
    frames: STORED,
    overFind: rounded(rebuildMs / listMs),
  };
};

export const openVolumeMs: Measure = async () => {
  const { intactMs, listMs } = await openStored();
  return {
    value: rounded(intactMs),
    unit: "ms",
    limit: "at most 300",
    frames: STORED,
    overFind: rounded(intactMs / listMs),
  };
};
