import { pixelCount, type Evaluated } from "../../graph";
import type { ApplyEffect } from "./effect";

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

export const applyGrade: ApplyEffect = (node, input, canvas) => {
  const result = canvas.allocate(node.window);
  const whole = pixelCount(node.window) === pixelCount(input.window);
  const source = whole ? input : canvas.reframe(input, node.window);
  canvas.grade(
    result,
    source,
    gradeGains(node.parameters),
    Number(node.parameters.contrast) / 100,
    PIVOT,
    Number(node.parameters.saturation) / 100,
  );
  if (source !== input) canvas.release(source);
  return result;
};
