export { PACK, packedExr, readExr, writeExr } from "./exr";
export * from "./frame";
export { pamHeader, readPam, writePam } from "./pam";
export * from "./picture";
export { decodePng, encodePng, pngSize, readPng, writePng } from "./png";
export { readQoi, writeQoi } from "./qoi";
