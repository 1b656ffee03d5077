import { writeFrame, type SourceNode } from "@kinetocache/core";
import { nodeKernels } from "../../../../testing/renderer";
import { StoredPictureError, StoredPictures } from "./storedPictures";

const kernels = nodeKernels();
const asked: number[] = [];
let broken = new Set<number>();

/** Each picture is a grey of its own. */
function fileOf(frame: number): Uint8Array {
  const pixels = new Uint8Array(2 * 2 * 4).fill(frame);
  return writeFrame({ width: 2, height: 2, depth: "8-bit", pixels }, false, kernels);
}

const node = (frame: number) =>
  ({
    kind: "sequence",
    key: `key-${frame}`,
    parameters: { sequence: "s", frame, frames: 100 },
  }) as unknown as SourceNode;

const realFetch = globalThis.fetch;

beforeEach(() => {
  asked.length = 0;
  broken = new Set();
  globalThis.fetch = (url) => {
    const frame = Number(String(url).split("/").at(-1));
    asked.push(frame);
    if (broken.has(frame)) return Promise.reject(new TypeError("Failed to fetch"));
    return Promise.resolve(new Response(fileOf(frame) as BodyInit));
  };
});

afterEach(() => {
  globalThis.fetch = realFetch;
});

async function grey(pictures: StoredPictures, frame: number): Promise<number> {
  await pictures.prepare([node(frame)]);
  return pictures.picture({ sequence: "s", frame }).pixels[0]!;
}

test("frames in order are each asked for once, one ahead, and every picture is its own frame's", async () => {
  const pictures = new StoredPictures(kernels);
  for (const frame of [4, 5, 6, 7]) expect(await grey(pictures, frame)).toBe(frame);
  expect(asked).toEqual([4, 5, 6, 7, 8]);
});

test("a worker that takes turns with another reads ahead what will be its own", async () => {
  const pictures = new StoredPictures(kernels);
  for (const frame of [10, 12, 14]) expect(await grey(pictures, frame)).toBe(frame);
  expect(asked).toEqual([10, 12, 14, 16]);
});

test("backwards too, as filling goes before the playhead, but not past the first frame", async () => {
  const pictures = new StoredPictures(kernels);
  for (const frame of [3, 2, 1, 0]) expect(await grey(pictures, frame)).toBe(frame);
  expect(asked).toEqual([3, 2, 1, 0]);
});

test("and not past the last one", async () => {
  const pictures = new StoredPictures(kernels);
  for (const frame of [97, 98, 99]) expect(await grey(pictures, frame)).toBe(frame);
  expect(asked).toEqual([97, 98, 99]);
});

test("a jump is read where it leads, and nothing is read ahead of it", async () => {
  const pictures = new StoredPictures(kernels);
  for (const frame of [1, 2, 90, 3]) expect(await grey(pictures, frame)).toBe(frame);
  expect(asked).toEqual([1, 2, 3, 90, 3]);
});

test("what was read ahead long ago is read again: it may have changed", async () => {
  let now = 0;
  const pictures = new StoredPictures(kernels, () => now);
  await grey(pictures, 1);
  await grey(pictures, 2);
  now += 1000;
  await grey(pictures, 3);
  expect(asked.filter((frame) => frame === 3)).toHaveLength(2);
});

test("a frame that could not be read ahead is asked for again, and only then is it told", async () => {
  const pictures = new StoredPictures(kernels);
  broken = new Set([3]);
  await grey(pictures, 1);
  await grey(pictures, 2);
  await expect(grey(pictures, 3)).rejects.toThrow(StoredPictureError);
  await grey(pictures, 2);
  broken = new Set();
  expect(await grey(pictures, 3)).toBe(3);
});
