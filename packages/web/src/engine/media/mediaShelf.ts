import { mediaFilesOf, type Document } from "@kinetocache/core";
import type { LostMedia } from "../protocol/rendering";
import type { MediaPlaces } from "./mediaBytes";

/** Files that clips are of: where they lie, and which of them cannot be had. */
export class MediaShelf {
  private places: MediaPlaces = {};
  private readonly lost = new Map<string, LostMedia>();

  /** What could not be had may be there now. */
  set(places: MediaPlaces): void {
    this.places = places;
    this.lost.clear();
  }

  /** @returns whether that is news */
  lose(lost: LostMedia): boolean {
    if (this.lost.has(lost.fingerprint)) return false;
    this.lost.set(lost.fingerprint, lost);
    return true;
  }

  /** Forgets what could not be had without the server. @returns whether there was any */
  noteServer(): boolean {
    const gone = [...this.lost.values()].filter(({ serverGone }) => serverGone);
    for (const { fingerprint } of gone) this.lost.delete(fingerprint);
    return gone.length > 0;
  }

  /** Why files of a document cannot be had, by their fingerprints. */
  reasonsIn(document: Document): Readonly<Record<string, string>> {
    return Object.fromEntries(
      mediaFilesOf(document).flatMap(({ fingerprint, name }) => {
        const reason = this.places[fingerprint] ? this.lost.get(fingerprint)?.reason : `${name} was not found`;
        return reason === undefined ? [] : [[fingerprint, reason]];
      }),
    );
  }

  /** Where files of a document lie, and why they cannot be had. */
  stateIn(document: Document): readonly unknown[] {
    return [mediaFilesOf(document).map(({ fingerprint }) => this.places[fingerprint]), this.reasonsIn(document)];
  }

  /** Their fingerprints, in order. */
  missingIn(document: Document): readonly string[] {
    return Object.keys(this.reasonsIn(document)).sort();
  }
}
