import type { ClipAsset, DecodeDevice, SourceNode } from "@kinetocache/core";
import { ClipDecoder } from "./clipDecoder";
import { ClipStore } from "./clipStore";
import { DecodeError } from "./decodeError";

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
const assets = { a: clip("AAAA"), b: clip("BBBB") };
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
  open.mockImplementation(({ base64 }: ClipAsset, on: DecodeDevice) => {
    if (on === "graphics" && !graphicsDecodes)
      return Promise.reject(new DecodeError("No graphics device here decodes it"));
    const frame = (number: number) =>
      Promise.resolve({
        pixels: { width: 2, height: 1, data: new Uint8Array(8).fill(number) },
        jumped: number === 0,
      });
    return Promise.resolve({ frame, close: () => closed.push(`${base64} on ${on}`) } as unknown as ClipDecoder);
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
  expect(closed).toEqual(["BBBB on processor"]);
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
  expect(open).toHaveBeenLastCalledWith(assets.a, "graphics");
});

test("what the processor does not decode either is an error with its reason", async () => {
  open.mockRejectedValue(new DecodeError("The clip is no WebM or MP4 file"));
  await expect(new ClipStore().prepare([node("a", 1)], assets)).rejects.toThrow("The clip is no WebM or MP4 file");
});
