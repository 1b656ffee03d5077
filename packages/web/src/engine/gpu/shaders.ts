import addUpsampled from "./shaders/addUpsampled.wgsl?raw";
import affine from "./shaders/affine.wgsl?raw";
import box from "./shaders/box.wgsl?raw";
import composite from "./shaders/composite.wgsl?raw";
import displace from "./shaders/displace.wgsl?raw";
import fill from "./shaders/fill.wgsl?raw";
import grade from "./shaders/grade.wgsl?raw";
import gradient from "./shaders/gradient.wgsl?raw";
import grain from "./shaders/grain.wgsl?raw";
import halve from "./shaders/halve.wgsl?raw";
import noise from "./shaders/noise.wgsl?raw";
import noiseField from "./shaders/noiseField.wgsl?raw";
import pairAverage from "./shaders/pairAverage.wgsl?raw";
import reframe from "./shaders/reframe.wgsl?raw";
import sample from "./shaders/sample.wgsl?raw";
import strokes from "./shaders/strokes.wgsl?raw";
import toHalf from "./shaders/toHalf.wgsl?raw";
import toSrgb8 from "./shaders/toSrgb8.wgsl?raw";
import upload from "./shaders/upload.wgsl?raw";

/** Every shader's code and the types of its parameters in order: i and u are 32-bit integers, f is float32. */
export const SHADERS = {
  addUpsampled: { code: addUpsampled + sample, parameters: "iiiifff" },
  affine: { code: affine + sample, parameters: "iiiiffffff" },
  box: { code: box, parameters: "iiiiiuiiiiff" },
  composite: { code: composite, parameters: "iiiiiiuf" },
  displace: { code: displace + noiseField + sample, parameters: "iiuufffffu" },
  fill: { code: fill, parameters: "iiffff" },
  grade: { code: grade, parameters: "iiffffff" },
  gradient: { code: gradient, parameters: "iiiufff" },
  grain: { code: grain, parameters: "iiiiuff" },
  halve: { code: halve, parameters: "iiiiuf" },
  noise: { code: noise + noiseField, parameters: "iiuuffffffffff" },
  pairAverage: { code: pairAverage + sample, parameters: "iiiiiiff" },
  reframe: { code: reframe + sample, parameters: "iiiiii" },
  strokes: { code: strokes, parameters: "iiiifff" },
  toHalf: { code: toHalf, parameters: "ii" },
  toSrgb8: { code: toSrgb8, parameters: "ii" },
  upload: { code: upload, parameters: "iiu" },
} as const;

export type ShaderName = keyof typeof SHADERS;

/** Pixels along a piece of a line that one invocation of `box` filters; must match PIECE there. */
export const BOX_PIECE = 32;
export const BOX_LINES = 64;
/** Edge of the square of pixels that one workgroup of all others works on. */
export const SQUARE = 8;
