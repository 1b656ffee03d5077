import {
  cutDocument,
  readEditList,
  readOtio,
  type Cut,
  type Depth,
  type ImportedCut,
  type ListedMedia,
  type Rate,
  type ReferencedClip,
} from "@kinetocache/core";
import { bringIn } from "./media";
import { needsRate } from "./timelines";

/** @param rate for what does not say it @throws CutError */
export function readTimeline(name: string, text: string, rate: Rate): Cut {
  return needsRate(name) ? readEditList(text, rate) : readOtio(text);
}

/** The files that a cut names, each once. */
export function filesOf(cut: Cut): string[] {
  const files = cut.tracks.flatMap(({ clips }) => clips.flatMap(({ file }) => (file === undefined ? [] : [file])));
  return [...new Set(files)].sort();
}

// Where no file says how large the picture is.
const USUAL_SIZE = { width: 1920, height: 1080 };

/**
 * Reads what the files are, and makes the composition; one that cannot be read is left for later, with the reason.
 * @param onRead told before each file @throws CutError
 */
export async function composed(
  cut: Cut,
  files: ReadonlyMap<string, ListedMedia>,
  depth: Depth,
  onRead: (done: number) => void,
): Promise<ImportedCut> {
  const clips = new Map<string, ReferencedClip>();
  const faults: { readonly place: string; readonly what: string }[] = [];
  let done = 0;
  for (const [name, file] of files) {
    onRead(done++);
    try {
      clips.set(name, (await bringIn(file)).clip);
    } catch (error) {
      faults.push({ place: name, what: error instanceof Error ? error.message : String(error) });
    }
  }
  const made = cutDocument(cut, clips, USUAL_SIZE, depth);
  return { ...made, leftOut: [...faults, ...made.leftOut] };
}
