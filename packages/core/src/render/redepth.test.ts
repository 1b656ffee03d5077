import { randomPixels } from "../../../../testing/pictures";
import type { Picture } from "../formats";
import { redepth } from "./redepth";

const deep = (scale = 1): Picture => {
  const values = randomPixels(9, 7).map((value) => Math.min(1, value) * scale);
  return { width: 9, height: 7, depth: "float", pixels: new Uint8Array(values.buffer) };
};

test("8-bit survives the way through half and float", () => {
  const eight = redepth(deep(), "8-bit");
  for (const depth of ["half", "float"] as const) expect(redepth(redepth(eight, depth), "8-bit")).toEqual(eight);
});

test("half is within its precision of float, and keeps what is brighter than 1; 8-bit cuts it", () => {
  const floats = new Float32Array(deep(4).pixels.buffer);
  const halves = new Float32Array(redepth(redepth(deep(4), "half"), "float").pixels.buffer);
  for (const [at, value] of floats.entries())
    expect(Math.abs(halves[at]! - value)).toBeLessThanOrEqual(value * 2 ** -11 + 1e-7);
  expect(Math.max(...redepth(deep(4), "8-bit").pixels)).toBe(255);
});

test("the depth that it has already costs nothing", () => {
  const picture = deep();
  expect(redepth(picture, "float")).toBe(picture);
});
