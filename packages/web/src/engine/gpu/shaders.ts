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
import pixels from "./shaders/pixels.wgsl?raw";
import raster from "./shaders/raster.wgsl?raw";
import reframe from "./shaders/reframe.wgsl?raw";
import sample from "./shaders/sample.wgsl?raw";
import strokes from "./shaders/strokes.wgsl?raw";
import toHalf from "./shaders/toHalf.wgsl?raw";
import toSrgb8 from "./shaders/toSrgb8.wgsl?raw";
import upload from "./shaders/upload.wgsl?raw";

/** Every shader's code and the types of its parameters in order: i and u are 32-bit integers, f is float32. */
export const SHADERS = {
  addUpsampled: { code: addUpsampled + sample + raster + pixels, parameters: "iiiifff" },
  affine: { code: affine + sample + raster + pixels, parameters: "iiiiffffff" },
  box: { code: box + raster, parameters: "iiiiiuiiiiff" },
  composite: { code: composite + raster + pixels, parameters: "iiiiiiuf" },
  displace: { code: displace + noiseField + sample + raster + pixels, parameters: "iiuufffffu" },
  fill: { code: fill + raster + pixels, parameters: "iiffff" },
  grade: { code: grade + raster + pixels, parameters: "iiffffff" },
  gradient: { code: gradient + raster + pixels, parameters: "iiiufff" },
  grain: { code: grain + raster + pixels, parameters: "iiiiuff" },
  halve: { code: halve + raster + pixels, parameters: "iiiiuf" },
  noise: { code: noise + noiseField + raster + pixels, parameters: "iiuuffffffffff" },
  pairAverage: { code: pairAverage + sample + raster + pixels, parameters: "iiiiiiff" },
  reframe: { code: reframe + sample + raster + pixels, parameters: "iiiiii" },
  strokes: { code: strokes + raster + pixels, parameters: "iiiifff" },
  toHalf: { code: toHalf + pixels, parameters: "ii" },
  toSrgb8: { code: toSrgb8 + pixels, parameters: "ii" },
  upload: { code: upload + raster + pixels, parameters: "iiu" },
} as const;

export type ShaderName = keyof typeof SHADERS;

/** Pixels along a piece of a line that one invocation of `box` filters; must match PIECE there. */
export const BOX_PIECE = 32;
export const BOX_LINES = 64;
/** Edge of the square of pixels that one workgroup of all others works on. */
export const SQUARE = 8;
