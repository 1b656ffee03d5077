import { frameBytes, requiredReadBack, type Bytes } from "@kinetocache/core";
import { useEngine } from "./engineStore";
import { useDiskCache } from "./locations";
import { formatInUse, formatsOf, useTrial } from "./trials";
import { useWorkspace } from "./workspace";

/** How fast frames come back from disk, in bytes per second, and how fast playing from it wants them. */
export interface ReadBack {
  /** As playback read them last; before it read any, as was measured where they are kept. */
  readonly rate: Bytes | undefined;
  readonly needed: Bytes;
}

export function useReadBack(): ReadBack {
  const { composition, document, settings } = useWorkspace();
  const { location } = useDiskCache();
  const trials = useTrial("formatTrial");
  const played = useEngine((engine) => engine.status?.readRate);
  const { fraction } = settings;
  const { depth } = document;
  const formats = formatsOf(trials, document.id, { fraction, depth });
  return {
    rate: played ?? (location && formatInUse(location, formats)?.readRate),
    needed: requiredReadBack(frameBytes(composition, fraction, depth), composition.rate),
  };
}
