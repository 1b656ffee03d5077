import {
  isPlaceholder,
  mediaFilesOf,
  type Document,
  type ListedMedia,
  type MediaFile,
  type MediaListing,
  type ReferencedClip,
} from "@kinetocache/core";
import * as Comlink from "comlink";
import { dequal } from "dequal";
import { liveQuery } from "dexie";
import { useLiveQuery } from "dexie-react-hooks";
import { useEffect } from "react";
import useSWR, { type SWRResponse } from "swr";
import { Helper } from "../engine/helper";
import type { ProbedClip } from "../engine/media/clipProbe";
import type { MediaPlace, MediaPlaces } from "../engine/media/mediaBytes";
import type { ClipReader } from "./clips.worker";
import { database } from "./database";
import { send } from "./engineStore";
import { read, type RequestError } from "./server";
import { filesNamed } from "./timelines";

/** Clips are read aside: the tables of a long one take a while. */
const clipReader = new Helper(
  "The worker that reads clips",
  () => new Worker(new URL("./clips.worker.ts", import.meta.url), { type: "module" }),
  (running) => ({ ...running, remote: Comlink.wrap<ClipReader>(running.worker) }),
);

const MEDIA = "/api/media";

/** What lies in the folders of source media, looked for anew when a screen asks. */
export function useMediaListing(): SWRResponse<MediaListing, RequestError> {
  return useSWR<MediaListing, RequestError>(MEDIA, read, { revalidateOnFocus: false, keepPreviousData: true });
}

const placeOf = ({ location, path, bytes, modifiedMs }: ListedMedia): MediaPlace => ({
  location,
  path,
  bytes,
  modifiedMs,
});

async function readPlaces(): Promise<MediaPlaces> {
  const all = await database.media.toArray();
  return Object.fromEntries(all.map(({ fingerprint, place }) => [fingerprint, place]));
}

/** Where files were found, followed. */
export function useMediaPlaces(): MediaPlaces {
  return useLiveQuery(readPlaces) ?? {};
}

let told: MediaPlaces | undefined;

/** Tells the engine where files lie; it tries again to read those that it could not. */
export async function tellPlaces(): Promise<void> {
  told = await readPlaces();
  send({ kind: "media", places: told });
}

/** The engine hears of files that are brought in or found, in other tabs too. */
export function useToldPlaces(): void {
  useEffect(() => {
    const watch = liveQuery(readPlaces).subscribe((places) => {
      if (!dequal(places, told)) void tellPlaces();
    });
    return () => watch.unsubscribe();
  }, []);
}

async function keepPlace({ fingerprint, name }: MediaFile, place: MediaPlace): Promise<void> {
  await database.media.put({ fingerprint, name, place });
}

/** Reads what a listed file is, and keeps where it lies. @throws Error that says what is wrong with it */
export async function bringIn(listed: ListedMedia): Promise<ProbedClip> {
  const place = placeOf(listed);
  const probed = await clipReader.ask(({ remote }) => remote.probe(place));
  await keepPlace(probed.clip.file, place);
  // Before the composition that shows it.
  await tellPlaces();
  return probed;
}

/**
 * Looks for files of a document in all folders of source media: by size, then by content, those of the same name first.
 * @param wanted fingerprints of those that are looked for
 * @returns names of those that were found @throws RequestError
 */
export async function findMedia(document: Document, wanted: readonly string[]): Promise<readonly string[]> {
  const { files } = await read<MediaListing>(MEDIA);
  const found: string[] = [];
  for (const file of mediaFilesOf(document).filter(({ fingerprint }) => wanted.includes(fingerprint))) {
    const isNamed = ({ path }: ListedMedia) => path.endsWith(file.name);
    const candidates = files.filter(({ bytes }) => bytes === file.bytes);
    candidates.sort((a, b) => Number(isNamed(b)) - Number(isNamed(a)));
    const place = await firstOf(candidates.map(placeOf), file.fingerprint);
    if (!place) continue;
    await keepPlace(file, place);
    found.push(file.name);
  }
  // What could not be read is tried again where it was, too.
  await tellPlaces();
  return found;
}

async function firstOf(places: readonly MediaPlace[], fingerprint: string): Promise<MediaPlace | undefined> {
  for (const place of places) {
    // One that cannot be read is not the one.
    const found = await clipReader.ask(({ remote }) => remote.fingerprint(place)).catch(() => undefined);
    if (found === fingerprint) return place;
  }
  return undefined;
}

/** Clips of a document of which only the name is known, that are found by it now; one that cannot be read is not. */
export async function foundByName(document: Document): Promise<Readonly<Record<string, ReferencedClip>>> {
  const wanted = Object.entries(document.assets).flatMap(([asset, one]) =>
    one.kind === "clip" && one.file && isPlaceholder(one) ? [{ asset, name: one.file.name }] : [],
  );
  if (wanted.length === 0) return {};
  const { files } = await read<MediaListing>(MEDIA);
  const named = filesNamed(
    wanted.map(({ name }) => name),
    files,
  );
  const found: Record<string, ReferencedClip> = {};
  for (const { asset, name } of wanted) {
    const file = named.get(name);
    const probed = file && (await bringIn(file).catch(() => undefined));
    if (probed) found[asset] = probed.clip;
  }
  return found;
}
