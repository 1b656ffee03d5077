import { spawnSync } from "node:child_process";
import { mkdirSync, readdirSync, renameSync, utimesSync, writeFileSync } from "node:fs";
import path from "node:path";
import { Driver } from "./browser";
import { Server, withFolder } from "./server";
import type { Figure, Measure } from "./figure";
import { median, rounded } from "./ratio";
import { undisturbed } from "./steal";

const FOLDERS = 4000;
const FILES_EACH = 50;
const OLD_S = Date.now() / 1000 - 60 * 24 * 3600;

/** Makes 200,000 files in 4,000 folders, not used for two months. */
function makeFiles(root: string, nameOf: (file: number) => string, folders = FOLDERS, each = FILES_EACH): void {
  for (let folder = 0; folder < folders; folder++) {
    const place = path.join(root, `Flyway ${100 + (folder % 40)}/frames/part ${folder}`);
    mkdirSync(place, { recursive: true });
    for (let file = 0; file < each; file++) {
      writeFileSync(path.join(place, nameOf(file)), "");
      utimesSync(path.join(place, nameOf(file)), OLD_S, OLD_S);
    }
    utimesSync(place, OLD_S, OLD_S);
  }
  for (const project of readdirSync(root))
    for (const one of [path.join(root, project, "frames"), path.join(root, project)]) utimesSync(one, OLD_S, OLD_S);
  utimesSync(root, OLD_S, OLD_S);
}

function timed(command: string, parameters: readonly string[], input?: string): number {
  const start = performance.now();
  const { status, stderr } = spawnSync(command, parameters, {
    input,
    maxBuffer: 2 ** 30,
    stdio: ["pipe", "ignore", "pipe"],
  });
  if (status !== 0) throw new Error(`${command}: ${String(stderr)}`);
  return performance.now() - start;
}

const ROUNDS = 7;
const SAMPLE_MS = 100;

/** A first scan of 200,000 files, and one that finds nothing changed, over `find -printf` of the same. */
export const scanVsFind: Measure = () =>
  withFolder(async (folder) => {
    const root = path.join(folder, "caches");
    makeFiles(root, (file) => `sky.${String(file).padStart(5, "0")}.exr`);
    const server = await Server.start(path.join(folder, "data"));
    try {
      const id = await server.register(root);
      const find = () => timed("find", [root, "-printf", "%p\\t%y\\t%s\\t%b\\t%T@\\t%A@\\t%i\\t%n\\n"]);
      const times = { find: [] as number[], first: [] as number[], second: [] as number[] };
      let files = 0;
      let peak = 0;
      const sampling = setInterval(() => (peak = Math.max(peak, server.memoryBytes())), SAMPLE_MS);
      for (let round = -2; round < ROUNDS; round++) {
        const { result } = await undisturbed(async () => ({
          find: find(),
          first: await server.scan(id, true),
          second: await server.scan(id, false),
        }));
        if (round < 0) continue;
        times.find.push(result.find);
        times.first.push(result.first.scanTookMs!);
        times.second.push(result.second.scanTookMs!);
        files = result.second.files;
      }
      clearInterval(sampling);
      const findMs = median(times.find);
      const base = { unit: "times find -printf", files, findMs: rounded(findMs) };
      return {
        first: {
          value: rounded(median(times.first) / findMs),
          limit: "at most 1.5",
          ms: rounded(median(times.first)),
          ...base,
        },
        second: {
          value: rounded(median(times.second) / findMs),
          limit: "at most 0.5",
          ms: rounded(median(times.second)),
          ...base,
        },
        peakMemory: { value: rounded(peak / 2 ** 20), unit: "MB", limit: "at most 300", everyMs: SAMPLE_MS },
      };
    } finally {
      await server.kill();
    }
  });

const MOVED_FOLDERS = 400;

let moved: Promise<Record<"hold" | "restore", Figure>> | undefined;

/** Files a second of moving 20,000 single files to holding and back, and of moving the same with `mv`. */
function moveRates(): Promise<Record<"hold" | "restore", Figure>> {
  moved ??= withFolder(async (folder) => {
    const root = path.join(folder, "caches");
    mkdirSync(root);
    const names: string[] = [];
    let serial = 0;
    for (let place = 0; place < MOVED_FOLDERS; place++) {
      mkdirSync(path.join(root, `logs ${place}`));
      for (let file = 0; file < FILES_EACH; file++) {
        const name = `logs ${place}/${serial++}.log`;
        writeFileSync(path.join(root, name), "");
        utimesSync(path.join(root, name), OLD_S, OLD_S);
        names.push(name);
      }
    }
    const server = await Server.start(path.join(folder, "data"));
    try {
      const id = await server.register(root);
      const aside = path.join(folder, "aside");
      mkdirSync(aside);
      const paths = names.map((name) => `${path.join(root, name)}\0`).join("");
      const times = { hold: [] as number[], restore: [] as number[], mv: [] as number[] };
      for (let round = -1; round < ROUNDS; round++) {
        const { result } = await undisturbed(async () => {
          // Once more after a disturbance: what was held then comes back first.
          for (const held of await server.ask<{ id: string }[]>("holds"))
            await server.ask(`holds/${held.id}/restore`, "POST", {});
          await server.scan(id, true);
          const start = performance.now();
          const report = await server.ask<{ batches: { id: string; items: number }[] }>("holds", "POST", {
            selection: [{ place: id, ids: names }],
          });
          const held = performance.now();
          if (report.batches[0]?.items !== names.length) throw new Error("Not everything was held");
          return { holdMs: held - start, batch: report.batches[0].id };
        });
        const { batch } = result;
        const numbers = await server.ask<unknown[]>(`holds/${batch}/items`);
        const restoreStart = performance.now();
        await server.ask(`holds/${batch}/restore`, "POST", {});
        const restoreMs = performance.now() - restoreStart;
        const mvMs = timed("xargs", ["-0", "mv", "-t", aside], paths);
        // Back, for the next round; they were in folders of their own.
        for (const name of names) renameSync(path.join(aside, path.basename(name)), path.join(root, name));
        if (round < 0 || numbers.length !== names.length) continue;
        times.hold.push(result.holdMs);
        times.restore.push(restoreMs);
        times.mv.push(mvMs);
      }
      // Each round by itself: what else the machine is at is then the same for both.
      const figure = (ms: readonly number[]): Figure => ({
        value: rounded(median(ms.map((one, round) => times.mv[round]! / one))),
        unit: "of mv",
        limit: "at least 0.5",
        filesPerSecond: rounded((names.length * 1000) / median(ms)),
        mv: rounded((names.length * 1000) / median(times.mv)),
      });
      return { hold: figure(times.hold), restore: figure(times.restore) };
    } finally {
      await server.kill();
    }
  });
  return moved;
}

/** Files a second of moving to holding, over `mv`. */
export const holdFilesPerSecond: Measure = async () => (await moveRates()).hold;

/** Files a second of bringing back, over `mv`; what follows it, a scan, is part of it. */
export const restoreFilesPerSecond: Measure = async () => (await moveRates()).restore;

/** Work of the page for a frame in which a ledger of 200,000 items goes on by a notch of the wheel: 6,000 px a second. */
export const ledgerScrollFrameMs: Measure = () =>
  withFolder(async (root) => {
    for (let folder = 0; folder < FOLDERS; folder++) {
      const place = path.join(root, `project ${folder % 40}/logs ${folder}`);
      mkdirSync(place, { recursive: true });
      for (let file = 0; file < FILES_EACH; file++) writeFileSync(path.join(place, `${file}.log`), "");
    }
    return Driver.with((driver) => scrollLedger(driver, root));
  });

/** Opens Sweep with a folder registered, and its ledger. */
async function openLedger(driver: Driver, root: string): Promise<void> {
  const { page } = driver;
  await driver.goTo("Sweep");
  await driver.goTo("Folders");
  await page.getByLabel(/^Full path of a cache folder/).fill(root);
  await page.getByRole("button", { name: "Register and scan" }).click();
  await page
    .getByRole("region", { name: `Folder ${root}` })
    .getByText("Scanned just now")
    .waitFor();
  await driver.goTo("Ledger");
}

const IDLE_SHARE = 1 / 5;
const FIVE_MINUTES_MS = 300_000;

/** What an open Sweep asks of the server, with frames on disk and a registered folder, in which nothing changes. */
export const sweepIdleBytes: Measure = () =>
  withFolder(async (root) => {
    makeFiles(root, (file) => `sky.${file}.exr`, 100, 20);
    return Driver.with(async (driver) => {
      const { page } = driver;
      await driver.open();
      await driver.type("Idle delay", "0");
      await driver.hasFrames(48);
      await driver.choose("background", "Off");
      await openLedger(driver, root);
      await page.waitForTimeout(10_000);
      const client = await page.context().newCDPSession(page);
      const asked = new Set<string>();
      let bytes = 0;
      let requests = 0;
      // What is told of changes comes over a connection that was opened before.
      client.on("Network.requestWillBeSent", ({ requestId, request }) => {
        if (!request.url.includes("/api/sweep/")) return;
        requests++;
        asked.add(requestId);
      });
      client.on("Network.dataReceived", ({ requestId, encodedDataLength, dataLength }) => {
        if (asked.has(requestId)) bytes += encodedDataLength || dataLength;
      });
      client.on("Network.eventSourceMessageReceived", ({ data }) => (bytes += data.length));
      client.on("Network.responseReceived", ({ requestId, response }) => {
        if (asked.has(requestId)) bytes += response.encodedDataLength;
      });
      await client.send("Network.enable");
      await page.waitForTimeout(FIVE_MINUTES_MS * IDLE_SHARE);
      return {
        value: Math.round(bytes / IDLE_SHARE),
        unit: "bytes in five minutes, from one",
        limit: "at most 20480",
        requests: requests / IDLE_SHARE,
      };
    });
  });

async function scrollLedger(driver: Driver, root: string): Promise<Figure> {
  const { page } = driver;
  await driver.open();
  await driver.choose("background", "Off");
  await openLedger(driver, root);
  await page.locator("label", { hasText: "Each item" }).click();
  await page.locator(".ledger-views", { hasText: /20\d,\d{3} items listed/ }).waitFor();
  await page.waitForTimeout(5000);
  const box = (await page.locator(".ledger-body").boundingBox())!;
  await page.mouse.move(box.x + box.width / 2, box.y + box.height / 2);
  const client = await page.context().newCDPSession(page);
  await client.send("Performance.enable");
  const busyMs = async () => {
    const { metrics } = await client.send("Performance.getMetrics");
    return 1000 * metrics.find(({ name }) => name === "TaskDuration")!.value;
  };
  const scrolled = () =>
    page.locator(".ledger-body").evaluate(
      async (body, [frames, by]) => {
        for (let n = 0; n < frames!; n++) {
          body.scrollTop += by!;
          await new Promise((resolve) => requestAnimationFrame(resolve));
        }
      },
      [FRAMES, NOTCH_PX],
    );
  const idleStart = await busyMs();
  await page.waitForTimeout(IDLE_MS);
  const idleShare = ((await busyMs()) - idleStart) / IDLE_MS;
  const times: number[] = [];
  for (let round = -1; round < SCROLLS; round++) {
    const { result } = await undisturbed(async () => {
      const [start, startMs] = [await busyMs(), performance.now()];
      await scrolled();
      return (await busyMs()) - start - idleShare * (performance.now() - startMs);
    });
    if (round >= 0) times.push(result / FRAMES);
  }
  return {
    value: rounded(median(times)),
    unit: "ms a frame on the main thread",
    limit: "at most 16",
    items: FOLDERS * FILES_EACH,
    idleWorkAFrame: rounded(idleShare * FRAME_MS),
  };
}

const SCROLLS = 3;
const FRAMES = 120;
const NOTCH_PX = 100;
const IDLE_MS = 3000;
const FRAME_MS = 1000 / 60;
