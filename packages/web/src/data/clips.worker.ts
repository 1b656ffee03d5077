import { fingerprintOf } from "@kinetocache/core";
import * as Comlink from "comlink";
import { probeClip, type ProbedClip } from "../engine/media/clipProbe";
import { bytesAt, type MediaPlace } from "../engine/media/mediaBytes";

const reader = {
  /** @throws Error that says what is wrong with it */
  probe: (place: MediaPlace): Promise<ProbedClip> => probeClip(place),
  /** @throws Error where it cannot be read */
  fingerprint: (place: MediaPlace): Promise<string> => {
    const { bytes, read } = bytesAt(place);
    return fingerprintOf(bytes, read);
  },
};

export type ClipReader = typeof reader;

Comlink.expose(reader);
