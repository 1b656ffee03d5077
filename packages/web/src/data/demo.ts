import type { Document } from "@kinetocache/core";
import estuaryMap from "../../../../demo/compositions/estuary-map.json?url";
import flywayTitles from "../../../../demo/compositions/flyway-titles.json?url";
import nightRoost from "../../../../demo/compositions/night-roost.json?url";
import ringingStation from "../../../../demo/compositions/ringing-station.json?url";

async function load(url: string): Promise<Document> {
  const response = await fetch(url);
  if (!response.ok) throw new Error(`The demo compositions cannot be loaded: the server answered ${response.status}`);
  return (await response.json()) as Document;
}

/** The demo compositions by their id. */
export const DEMO = {
  "night-roost": () => load(nightRoost),
  "flyway-titles": () => load(flywayTitles),
  "ringing-station": () => load(ringingStation),
  "estuary-map": () => load(estuaryMap),
};
