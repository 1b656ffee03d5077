import { FRAME_FORMATS, type ContentKey, type FrameFormat, type Milliseconds } from "@kinetocache/core";

/** What the name of a frame's file says; the file itself is a plain picture in an open format. */
export interface FrameName {
  readonly key: ContentKey;
  /** CRC-32 of the file, so that a torn or altered one is noticed. */
  readonly crc: number;
  /** What rendering it took, in whole milliseconds. */
  readonly costMs: Milliseconds;
  readonly format: FrameFormat;
}

const NAME = new RegExp(`^([0-9a-f]{32})-([0-9a-f]{8})-([0-9]{1,9})\\.(${FRAME_FORMATS.join("|")})$`);

/** `<content key>-<crc32>-<cost in ms>.<format>` */
export function nameOf({ key, crc, costMs, format }: FrameName): string {
  return `${key}-${crc.toString(16).padStart(8, "0")}-${Math.round(costMs)}.${format}`;
}

/** @returns undefined when the file is not a frame */
export function parseName(name: string): FrameName | undefined {
  const match = NAME.exec(name);
  if (!match) return undefined;
  const [, key, crc, costMs, format] = match;
  return { key: key!, crc: Number.parseInt(crc!, 16), costMs: Number(costMs), format: format as FrameFormat };
}

const BLOCK = 4096;

/** Bytes that a file of `size` bytes takes on a drive with blocks of 4 KiB, as nearly all have. */
export function allocatedBytes(size: number): number {
  return Math.ceil(size / BLOCK) * BLOCK;
}
