import useSWRImmutable from "swr/immutable";
import { hardwareCodecs } from "../engine/media/decoding";
import { findAdapters, type Adapter } from "../engine/gpu/adapters";

/** The graphics devices of the browser; undefined while they are being looked up. */
export function useAdapters(): { readonly adapters: readonly Adapter[] | undefined; readonly failure?: Error } {
  const { data, error } = useSWRImmutable<Adapter[], Error>("graphics adapters", findAdapters);
  return { adapters: data, failure: error };
}

/** Codecs that a graphics device decodes; undefined while that is being found out. */
export function useHardwareCodecs(): readonly string[] | undefined {
  return useSWRImmutable<string[], Error>("hardware codecs", hardwareCodecs).data;
}
