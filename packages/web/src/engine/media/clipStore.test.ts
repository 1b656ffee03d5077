import type { ClipAsset, DecodeDevice, ReferencedClip, SourceNode } from "@kinetocache/core";
import { ClipDecoder } from "./clipDecoder";
import { ClipStore } from "./clipStore";
import { DecodeError } from "./decodeError";
import { MediaError, type MediaBytes } from "./mediaBytes";

// Node decodes nothing: the decoder is a stand-in, of which a graphics device may be missing.
jest.mock("./clipDecoder", () => ({ ClipDecoder: { open: jest.fn() } }));

const open = jest.mocked(ClipDecoder.open);
const clip = (base64: string): ClipAsset => ({
  kind: "clip",
  width: 2,
  height: 1,
  rate: { numerator: 25, denominator: 1 },
  duration: 10,
  base64,
});
/** Clips of one byte, by which they are known again. */
const assets = { a: clip("AQ=="), b: clip("Ag==") };
const NAMES = ["", "a", "b"];
const node = (asset: string, frame: number): SourceNode => ({
  key: `${asset}${frame}`,
  kind: "clip",
  parameters: { asset, frame },
  fraction: 1,
  window: { x: 0, y: 0, width: 2, height: 1 },
  inputs: [],
  layer: null,
});

const closed: string[] = [];
let graphicsDecodes = true;

beforeEach(() => {
  closed.length = 0;
  graphicsDecodes = true;
  open.mockReset();
  open.mockImplementation(async ({ read }: MediaBytes, _rate, on: DecodeDevice) => {
    const name = NAMES[(await read(0, 1))[0]!];
    if (on === "graphics" && !graphicsDecodes)
      return Promise.reject(new DecodeError("No graphics device here decodes it"));
    const frame = (number: number) =>
      Promise.resolve({
        pixels: { width: 2, height: 1, data: new Uint8Array(8).fill(number) },
        jumped: number === 0,
      });
    return Promise.resolve({ frame, close: () => closed.push(`${name} on ${on}`) } as unknown as ClipDecoder);
  });
});

test("what was prepared is there to be drawn, and nothing else; a jump is not charged to the frame", async () => {
  const store = new ClipStore();
  const took = await store.prepare([node("a", 0), node("b", 3)], assets);
  expect(took.get("a0")).toBeUndefined();
  expect(took.get("b3")).toBeGreaterThanOrEqual(0);
  expect(store.frame(assets.b, 3).data[0]).toBe(3);
  expect(() => store.frame(assets.b, 4)).toThrow("Frame 4 of a clip was not decoded");
  await store.prepare([node("a", 1)], assets);
  expect(() => store.frame(assets.b, 3)).toThrow("was not decoded");
  expect(open).toHaveBeenCalledTimes(2);
});

test("a clip that is not in the document any more is closed, one that is stays open", async () => {
  const store = new ClipStore();
  await store.prepare([node("a", 1), node("b", 1)], assets);
  store.keep({ a: assets.a });
  await store.prepare([node("a", 2)], assets);
  expect(closed).toEqual(["b on processor"]);
  expect(open).toHaveBeenCalledTimes(2);
});

test("what the chosen device does not decode, the processor does, and it is told until another choice is made", async () => {
  graphicsDecodes = false;
  const store = new ClipStore();
  store.setDevice("graphics");
  await store.prepare([node("a", 1)], assets);
  expect(store.frame(assets.a, 1).data[0]).toBe(1);
  expect(store.graphicsFault).toBe("No graphics device here decodes it");
  // The same choice again is no new one.
  store.setDevice("graphics");
  expect(store.graphicsFault).toBeDefined();
  store.setDevice("processor");
  expect(store.graphicsFault).toBeUndefined();
  graphicsDecodes = true;
  store.setDevice("graphics");
  await store.prepare([node("a", 2)], assets);
  expect(store.graphicsFault).toBeUndefined();
  expect(open).toHaveBeenLastCalledWith(expect.anything(), assets.a.rate, "graphics");
});

test("what the processor does not decode either is an error with its reason", async () => {
  open.mockRejectedValue(new DecodeError("The clip is no WebM or MP4 file"));
  await expect(new ClipStore().prepare([node("a", 1)], assets)).rejects.toThrow("The clip is no WebM or MP4 file");
});

describe("a clip that stays where it is", () => {
  const { base64: _, ...shape } = clip("");
  const file = { name: "reel.mp4", bytes: 9, modifiedMs: 1, fingerprint: "f".repeat(32), codec: "avc1" };
  const assets: { readonly a: ReferencedClip } = { a: { ...shape, file } as ReferencedClip };
  const place = { location: "here", path: "reel.mp4", bytes: 9, modifiedMs: 1 };

  function answering(status: number, body: BodyInit = "") {
    jest.spyOn(globalThis, "fetch").mockImplementation(() => Promise.resolve(new Response(body, { status })));
  }

  afterEach(() => jest.restoreAllMocks());

  test("is read from where it lies, and is lost with the reason where that is not known or it cannot be read", async () => {
    const store = new ClipStore();
    await expect(store.prepare([node("a", 1)], assets)).rejects.toMatchObject({
      fingerprint: file.fingerprint,
      message: "reel.mp4 was not found",
      serverGone: false,
    });
    store.setPlaces({ [file.fingerprint]: place });
    answering(409, JSON.stringify({ detail: "reel.mp4 was changed since it was last looked at" }));
    await expect(store.prepare([node("a", 1)], assets)).rejects.toMatchObject({
      fingerprint: file.fingerprint,
      message: "reel.mp4 was changed since it was last looked at",
    });
    answering(206, Uint8Array.of(1));
    await store.prepare([node("a", 1)], assets);
    expect(store.frame(assets.a, 1).data[0]).toBe(1);
    expect(jest.mocked(fetch).mock.lastCall![0]).toBe("/api/media/here?path=reel.mp4&bytes=9&modifiedMs=1");
  });

  test("is lost while the server does not answer, and there again when it does", async () => {
    const store = new ClipStore();
    store.setPlaces({ [file.fingerprint]: place });
    jest.spyOn(globalThis, "fetch").mockRejectedValue(new TypeError("Failed to fetch"));
    await expect(store.prepare([node("a", 1)], assets)).rejects.toMatchObject({ serverGone: true });
    answering(206, Uint8Array.of(2));
    await store.prepare([node("a", 2)], assets);
    expect(store.frame(assets.a, 2).data[0]).toBe(2);
  });

  test("is opened anew when it lies elsewhere, and only then", async () => {
    answering(206, Uint8Array.of(1));
    const store = new ClipStore();
    store.setPlaces({ [file.fingerprint]: place });
    await store.prepare([node("a", 1)], assets);
    store.setPlaces({ [file.fingerprint]: { ...place } });
    await store.prepare([node("a", 2)], assets);
    expect(open).toHaveBeenCalledTimes(1);
    store.setPlaces({ [file.fingerprint]: { ...place, location: "there" } });
    await store.prepare([node("a", 3)], assets);
    expect(open).toHaveBeenCalledTimes(2);
    expect(closed).toEqual(["a on processor"]);
  });

  test("that no device here decodes is left out; a single picture that is damaged is not the whole clip", async () => {
    const store = new ClipStore();
    store.setPlaces({ [file.fingerprint]: place });
    open.mockRejectedValueOnce(new DecodeError("This browser does not decode hvc1"));
    await expect(store.prepare([node("a", 1)], assets)).rejects.toMatchObject({
      name: "LostMediaError",
      message: "This browser does not decode hvc1",
    });
    const frame = jest.fn().mockRejectedValue(new DecodeError("The clip could not be decoded"));
    open.mockResolvedValueOnce({ frame, close: jest.fn() } as unknown as ClipDecoder);
    await expect(store.prepare([node("a", 1)], assets)).rejects.toMatchObject({ name: "DecodeError" });
    frame.mockRejectedValue(new MediaError("reel.mp4 is not in /reels any more"));
    await expect(store.prepare([node("a", 1)], assets)).rejects.toMatchObject({ name: "LostMediaError" });
  });
});
