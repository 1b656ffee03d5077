import type { HeldItem } from "@kinetocache/core";
import type { SequenceFolder } from "../sequences/sequenceFolder";
import type { Volume } from "../volumes/volume";
import { LOWER_CAP, type Keeper } from "./holding";

const FRAMES = "frames/";
const SEQUENCES = "sequences/";

/** A location's own files: what moves out of it and back is noted in its index. */
export class VolumeKeeper implements Keeper {
  constructor(
    private readonly volume: Volume,
    private readonly sequences: SequenceFolder,
  ) {}

  refuse({ path }: HeldItem): string | undefined {
    return path.startsWith(FRAMES) || path.startsWith(SEQUENCES) ? undefined : "it is no cached frame";
  }

  gone({ path }: HeldItem): void {
    if (path.startsWith(FRAMES)) this.volume.frames.noteGone(path.slice(FRAMES.length));
    else this.sequences.noteGone(path.slice(SEQUENCES.length));
  }

  /** What waited beyond the cap counts again once it is back. */
  refuseBack({ bytes }: HeldItem, by: string): string | undefined {
    return by !== LOWER_CAP || this.volume.room.hasRoomFor(bytes) ? undefined : "the cap has no room for it";
  }

  async back({ path }: HeldItem): Promise<void> {
    if (path.startsWith(FRAMES)) await this.volume.frames.noteBack(path.slice(FRAMES.length));
    else await this.sequences.noteBack(path.slice(SEQUENCES.length));
  }

  /** A frame that was rendered anew has the same name, so the same pixels. */
  isSame({ path }: HeldItem): boolean {
    return path.startsWith(FRAMES);
  }
}
