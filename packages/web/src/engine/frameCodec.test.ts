import { nodeKernels } from "../../../../testing/renderer";
import { DepthConverter } from "./depthConverter";
import { FrameCodec } from "./frameCodec";

const codec = () => new FrameCodec(new DepthConverter(nodeKernels()));
const flat = { width: 640, height: 360, depth: "8-bit" as const, pixels: new Uint8Array(640 * 360 * 4).fill(77) };
const noise = {
  ...flat,
  pixels: Uint8Array.from({ length: flat.pixels.length }, (_, i) => Math.imul(i ^ (i >>> 7), 0x9e3779b9) >>> 24),
};
const automatic = { packing: "automatic", deepest: "float" } as const;

test("automatic packing weighs the way against unpacking: never plain on a slow way, never packed on a fast one", () => {
  expect(codec().encode(flat, automatic, 1000).format).toBe("qoi");
  expect(codec().encode(flat, automatic, 1e15).format).toBe("pam");
  // What does not get smaller is not worth unpacking.
  expect(codec().encode(noise, automatic, 1e9).format).toBe("pam");
});

test("while it is not known what the way carries, frames are stored plain", () => {
  expect(codec().encode(flat, automatic).format).toBe("pam");
  expect(codec().encode(flat, { ...automatic, packing: "packed" }).format).toBe("qoi");
});

test("light is brought down to what is shown, and no higher depth is made up", () => {
  const kernels = nodeKernels();
  const converter = new DepthConverter(kernels);
  const white = new Float32Array([1, 1, 1, 1, 0, 0, 0, 0.5, 4, 0.25, 0, 1, 0, 0, 0, 0]);
  const lowered = converter.lowered({ pixels: new Uint8Array(white.buffer), depth: "float" }, "8-bit");
  expect([...lowered.subarray(0, 4)]).toEqual([255, 255, 255, 255]);
  expect(lowered[7]).toBe(128);
  // A quarter of the light is a little more than half of the code.
  expect([lowered[8], lowered[9]]).toEqual([255, 137]);
  expect(() => converter.lowered({ pixels: lowered, depth: "8-bit" }, "half")).toThrow(RangeError);
});
