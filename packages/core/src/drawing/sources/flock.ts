import { linearColour } from "../colour";
import { colour, length, number, seed, type Evaluated } from "../parameter";
import type { Source } from "./source";

const STROKE_FLOATS = 6;
const STROKES_A_BIRD = 4;
const TAU = 2 * Math.PI;

/** A repeatable number in [0, 1) for a bird and a purpose (integer hash after M. Wang). */
function chance(seed: number, bird: number, purpose: number): number {
  let h = Math.imul(seed, 0x9e3779b1) ^ Math.imul(bird + 1, 0x85ebca6b) ^ Math.imul(purpose + 1, 0xc2b2ae35);
  h = Math.imul(h ^ (h >>> 15), 0x2c1b3c6d);
  h = Math.imul(h ^ (h >>> 12), 0x297a2d39);
  return ((h ^ (h >>> 15)) >>> 0) / 0x1_0000_0000;
}

/**
 * Strokes of the whole swarm at one moment, in pixels of a picture `width` × `height`: x0, y0, x1, y1, half
 * width and opacity for each. Every bird follows a closed curve about a centre that itself wanders, so any
 * frame can be drawn without the frames before it.
 */
export function flockStrokes(parameters: Evaluated, width: number, height: number): Float32Array {
  const value = (name: string) => Number(parameters[name]);
  const count = Math.round(value("count"));
  const [seed, time, span] = [Math.round(value("seed")), value("speed"), value("wingspan")];
  const reach = (value("spread") / 100) * Math.min(width, height);
  const centreX = value("centreX") + 0.18 * reach * Math.sin(time * 0.7);
  const centreY = value("centreY") + 0.1 * reach * Math.sin(time * 1.1 + 0.6);
  const strokes = new Float32Array(count * STROKES_A_BIRD * STROKE_FLOATS);
  for (let bird = 0; bird < count; bird++) {
    const own = (purpose: number) => chance(seed, bird, purpose);
    const radius = reach * Math.sqrt(own(0));
    const phase = own(1) * TAU;
    const pace = 0.25 + 0.35 * own(2);
    const turn = phase + time * pace * (own(3) < 0.85 ? 1 : -1);
    const x = centreX + 1.7 * radius * Math.cos(turn) + 0.12 * reach * Math.sin(time * (1 + own(4)) + phase);
    const y = centreY + 0.62 * radius * Math.sin(turn * 1.3 + phase) + 0.08 * reach * Math.cos(time * (1.2 + own(5)));
    const size = span * (0.45 + 0.55 * own(6));
    const beat = Math.sin(time * (7 + 5 * own(7)) + phase * 3);
    const tilt = 0.35 * Math.sin(turn + phase);
    writeBird(strokes, bird * STROKES_A_BIRD * STROKE_FLOATS, x, y, size / 2, beat, tilt);
  }
  return strokes;
}

/** Two wings of two strokes: shoulder to wrist, wrist to tip. */
function writeBird(
  strokes: Float32Array,
  at: number,
  x: number,
  y: number,
  half: number,
  beat: number,
  tilt: number,
): void {
  const wrist = -half * (0.28 + 0.22 * beat);
  const tip = half * (0.02 - 0.38 * beat);
  const [cos, sin] = [Math.cos(tilt), Math.sin(tilt)];
  let offset = at;
  for (const side of [-1, 1]) {
    const points: [number, number][] = [
      [0, 0],
      [side * half * 0.48, wrist],
      [side * half, tip],
    ];
    for (let i = 0; i < 2; i++) {
      const [ax, ay] = points[i]!;
      const [bx, by] = points[i + 1]!;
      strokes[offset] = x + ax * cos - ay * sin;
      strokes[offset + 1] = y + ax * sin + ay * cos;
      strokes[offset + 2] = x + bx * cos - by * sin;
      strokes[offset + 3] = y + bx * sin + by * cos;
      strokes[offset + 4] = half * (i === 0 ? 0.075 : 0.05);
      strokes[offset + 5] = 1;
      offset += STROKE_FLOATS;
    }
  }
}

export const flock = {
  label: "Flock",
  version: 1,
  parameters: {
    colour: colour("Colour", "#10141c"),
    count: number("Birds", "", [1, 20000, 200, 1]),
    wingspan: length("Wingspan", [2, 400, 40, 1]),
    spread: number("Spread", "%", [1, 200, 40, 1]),
    speed: number("Speed", "a second", [0, 10, 1, 0.1]),
    centreX: length("Centre x", [-16384, 16384, 960, 1]),
    centreY: length("Centre y", [-16384, 16384, 400, 1]),
    seed,
  },
  timed: ({ speed }, { seconds }) => ({ speed: Number(speed) * seconds }),
  // The area around the strokes grows with the birds, not with the picture.
  work: (pixels, { count, wingspan }) => pixels + Number(count) * Number(wingspan) ** 2,
  draw({ window, parameters }, { canvas }) {
    const { width, height } = window;
    const raster = canvas.allocate(window);
    canvas.strokes(raster, flockStrokes(parameters, width, height), linearColour(parameters.colour as string));
    return raster;
  },
} as const satisfies Source;
