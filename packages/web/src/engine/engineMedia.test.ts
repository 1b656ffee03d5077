import { IN_MEMORY, ON_DISK, type Document } from "@kinetocache/core";
import { document, layer, referencedClip } from "../../../../testing/documents";
import { EngineRig, FakeDisk, onFakeTime } from "../../../../testing/engine";

onFakeTime();

const FINGERPRINT = referencedClip().file.fingerprint;
const FRAMES = 24;
const PLACE = { location: "reels", path: "reel.mp4", bytes: 9, modifiedMs: 1 };

/** A clip over the first half, and a square that moves all through. */
function scene(): Document {
  const clip = referencedClip({ rate: { numerator: 24, denominator: 1 }, duration: 12 }, { name: "reel.mp4" });
  const x = { keyframes: [0, 24].map((frame) => ({ frame, value: 1 + frame * 2, ease: "linear" as const })) };
  const transform = { x, y: 0, anchorX: 0, anchorY: 0, scale: 1, rotation: 0 };
  return document([layer("reel", "clip", { asset: "reel", offset: 0 }), layer("square", "solid", {}, { transform })], {
    assets: { reel: clip },
  });
}

async function open(disk = new FakeDisk()): Promise<EngineRig> {
  const rig = new EngineRig(disk);
  rig.send({ kind: "media", places: { [FINGERPRINT]: PLACE } });
  await rig.open(scene());
  return rig;
}

const lost = { fingerprint: FINGERPRINT, reason: "reel.mp4 is not in /reels any more", serverGone: false };

test("a file that nobody knows is left out from the start, and played once it is found", async () => {
  const rig = new EngineRig();
  await rig.open(scene());
  expect(rig.status.missing).toEqual({ [FINGERPRINT]: "reel.mp4 was not found" });
  await rig.fill();
  expect(rig.held(IN_MEMORY)).toBe(FRAMES);
  expect(rig.notices).toEqual([]);
  rig.send({ kind: "media", places: { [FINGERPRINT]: PLACE } });
  await rig.run(100);
  expect(rig.status.missing).toEqual({});
  expect(rig.pool.places).toEqual({ [FINGERPRINT]: PLACE });
  // The frames without it do not stand for those with it; the others are what they were.
  expect(rig.held(IN_MEMORY)).toBeLessThan(FRAMES);
  expect(rig.held(IN_MEMORY)).toBeGreaterThanOrEqual(FRAMES / 2);
  await rig.fill();
  expect(rig.held(IN_MEMORY)).toBe(FRAMES);
});

test("one that goes away is said once; what is cached of it is shown, the rest plays on without it", async () => {
  const rig = await open();
  rig.send({ kind: "seek", frame: 3, scrubbing: false });
  await rig.run(1000);
  rig.pool.lostMedia.set(FINGERPRINT, lost);
  await rig.fill();
  expect(rig.held(IN_MEMORY)).toBe(FRAMES);
  expect(rig.status.missing).toEqual({ [FINGERPRINT]: lost.reason });
  expect(rig.notices).toEqual([`${lost.reason}. What is not cached of reel.mp4 is left out until it can be read.`]);
  // It is back: only what was made without it is made again.
  rig.pool.lostMedia.clear();
  rig.send({ kind: "media", places: { [FINGERPRINT]: PLACE } });
  rig.configure({ background: "Idle", idleDelayMs: 0 });
  await rig.run(2000);
  expect(rig.status.missing).toEqual({});
  const again = new Set(rig.pool.takeStarted());
  expect(again.has(3)).toBe(false);
  expect(again.size).toBeGreaterThan(0);
  expect([...again].every((frame) => frame < FRAMES / 2)).toBe(true);
});

test("what is on disk of a file that cannot be read is read and shown, after a reload too", async () => {
  const first = await open();
  await first.fill();
  await first.run(10_000);
  expect(first.held(ON_DISK)).toBe(FRAMES);
  const rig = new EngineRig(first.disk);
  rig.pool.lostMedia.set(FINGERPRINT, lost);
  rig.send({ kind: "media", places: {} });
  await rig.open(scene());
  rig.configure({ background: "Idle", idleDelayMs: 0 });
  await rig.run(5000);
  expect(rig.held(IN_MEMORY)).toBe(FRAMES);
  const keysOf = ({ engine }: EngineRig) =>
    Array.from({ length: FRAMES }, (_, frame) => engine.stage.timeline!.keyOf(frame));
  expect(keysOf(rig)).toEqual(keysOf(first));
  // The drive of the cache goes as well: now the frames are made without the file.
  rig.configure({ background: "Off" });
  rig.disk.frames.clear();
  rig.send({ kind: "diskChanged" });
  await rig.run(1000);
  expect(keysOf(rig)).toEqual(keysOf(first));
  rig.configure({ memoryBudgetBytes: 0 });
  await rig.run(1000);
  expect(keysOf(rig).slice(0, 12)).not.toEqual(keysOf(first).slice(0, 12));
});

test("frames that were made without a file are not written to disk, where they would never be asked for", async () => {
  const rig = new EngineRig();
  await rig.open(scene());
  await rig.fill();
  await rig.run(10_000);
  expect(rig.held(ON_DISK)).toBe(0);
});

test("while the server is gone its files are left out, and read again by themselves when it is back", async () => {
  const rig = await open();
  rig.pool.lostMedia.set(FINGERPRINT, { ...lost, reason: "The server does not answer", serverGone: true });
  rig.disk.failure = { kind: "unreachable", detail: "the server does not answer" };
  await rig.fill();
  expect(Object.keys(rig.status.missing)).toEqual([FINGERPRINT]);
  rig.pool.lostMedia.clear();
  rig.disk.failure = undefined;
  rig.send({ kind: "diskChanged" });
  await rig.run(30_000);
  expect(rig.status.missing).toEqual({});
});
