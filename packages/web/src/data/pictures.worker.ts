import * as Comlink from "comlink";
import { readForeignFrame, readPng, type Depth } from "@kinetocache/core";

/** What a picture file is, as its first byte and its pixels say. */
export interface ChosenPicture {
  readonly width: number;
  readonly height: number;
  readonly depth: Depth;
  readonly isPng: boolean;
  /** Whether it is 8-bit and packed already. */
  readonly isQoi: boolean;
}

const PNG_START = 0x89;
const QOI_START = 0x71;

const reader = {
  /** Reads all of a file, so that a damaged one is known before it travels. @throws Error that says what is wrong */
  async read(file: File): Promise<ChosenPicture> {
    const bytes = new Uint8Array(await file.arrayBuffer());
    const isPng = bytes[0] === PNG_START;
    const { width, height, depth } = isPng ? readPng(bytes) : readForeignFrame(bytes);
    return { width, height, depth, isPng, isQoi: bytes[0] === QOI_START };
  },
};

export type PictureReader = typeof reader;

Comlink.expose(reader);
