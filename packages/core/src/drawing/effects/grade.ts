import { number, type Evaluated } from "../parameter";
import { pixelCount } from "../window";
import { NO_REACH, type Effect } from "./effect";

// Contrast turns about middle grey in linear light.
const PIVOT = 0.18;

/** Factors on linear red, green and blue: 2^exposure, with warmth and tint that keep Rec. 709 luma of grey. */
function gradeGains(parameters: Evaluated): [number, number, number] {
  const warm = Number(parameters.temperature) / 100;
  const tint = Number(parameters.tint) / 100;
  const balance = [1 + 0.35 * warm + 0.12 * tint, 1 - 0.24 * tint, 1 - 0.35 * warm + 0.12 * tint];
  const luma = 0.2126 * balance[0]! + 0.7152 * balance[1]! + 0.0722 * balance[2]!;
  const gain = 2 ** Number(parameters.exposure) / luma;
  return balance.map((channel) => channel * gain) as [number, number, number];
}

export const grade = {
  label: "Colour grade",
  version: 1,
  weight: "light",
  parameters: {
    exposure: number("Exposure", "stops", [-8, 8, 0, 0.05]),
    temperature: number("Warmth", "", [-100, 100, 0, 1]),
    tint: number("Tint", "", [-100, 100, 0, 1]),
    contrast: number("Contrast", "%", [10, 300, 100, 1]),
    saturation: number("Saturation", "%", [0, 300, 100, 1]),
  },
  reach: () => NO_REACH,
  isNeutral: ({ exposure, temperature, tint, contrast, saturation }) =>
    exposure === 0 && temperature === 0 && tint === 0 && contrast === 100 && saturation === 100,
  keepsOpaque: () => true,
  passes: () => 1,
  apply({ window, parameters }, input, canvas) {
    const result = canvas.allocate(window);
    const whole = pixelCount(window) === pixelCount(input.window);
    const source = whole ? input : canvas.reframe(input, window);
    canvas.grade(
      result,
      source,
      gradeGains(parameters),
      Number(parameters.contrast) / 100,
      PIVOT,
      Number(parameters.saturation) / 100,
    );
    if (source !== input) canvas.release(source);
    return result;
  },
} as const satisfies Effect;
