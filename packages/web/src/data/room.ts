import type { Bytes } from "@kinetocache/core";
import type { LocationContents } from "./locations";

/** All that counts against the cap. */
export function usedBytes({ bytes, holdingBytes, beyondCapBytes, sequenceBytes }: LocationContents): Bytes {
  return bytes + holdingBytes - beyondCapBytes + sequenceBytes;
}

/** Bytes that frames, or a new sequence, may take at a location: frames that are there now give way. */
export function roomOf(contents: LocationContents | undefined): Bytes {
  if (!contents) return 0;
  const { settings, bytes, freeBytes, keptFree } = contents;
  const used = usedBytes(contents);
  return Math.max(0, Math.min(settings.capBytes, used + freeBytes - keptFree) - (used - bytes));
}
