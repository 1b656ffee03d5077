import { KEY_PATTERN, type SweepSettings } from "@kinetocache/core";
import express, { Router } from "express";
import Joi from "joi";
import { accept, Problem } from "../http/problem";
import type { Locations } from "../volumes/locations";
import { sweepSettingsSchema, type Emptying } from "./emptying";
import type { Holding } from "./holding";

const holdSchema = Joi.object<{ location?: string; keys: string[] }>({
  location: Joi.string().max(40),
  keys: Joi.array().items(Joi.string().pattern(KEY_PATTERN, "32 hexadecimal digits")).min(1).max(1_000_000).required(),
});

/** Sweeping frames of all locations, each into the holding of its own. */
export function sweepRoutes(locations: Locations, emptying: Emptying): Router {
  const router = Router();

  function holderOf(batch: string): Holding {
    const found = locations.open().find(({ holding }) => holding.has(batch));
    if (!found) throw new Problem(404, "no-batch", `Holding has no batch ${batch}`);
    return found.holding;
  }

  router.get("/items", (_request, response) => {
    response.json(
      locations.open().flatMap(({ id, volume }) => volume.items().map((item) => ({ ...item, location: id }))),
    );
  });

  router.get("/holds", (_request, response) => {
    response.json(
      locations.open().flatMap(({ id, holding }) => holding.list().map((batch) => ({ ...batch, location: id }))),
    );
  });

  router.get("/settings", (_request, response) => {
    response.json(emptying.settings);
  });

  router.put("/settings", express.json(), async (request, response) => {
    await emptying.change(accept<SweepSettings>(sweepSettingsSchema, request.body, "settings"));
    response.status(204).end();
  });

  // Of one location, or of all that hold any of the frames.
  router.post("/holds", express.json({ limit: "64mb" }), async (request, response) => {
    const { keys, location } = accept(holdSchema, request.body, "body");
    const holders = (location === undefined ? locations.open() : [locations.get(location)]).filter(({ volume }) =>
      keys.some((key) => volume.has(key)),
    );
    if (holders.length === 0)
      throw new Problem(404, "nothing-to-sweep", "None of these frames is in the disk cache any more");
    const batches = [];
    for (const { id, holding } of holders) batches.push({ ...(await holding.hold(keys)), location: id });
    response.status(201).json(batches);
  });

  router.post("/holds/:id/restore", async (request, response) => {
    await holderOf(request.params.id).restore(request.params.id);
    response.status(204).end();
  });

  router.delete("/holds/:id", async (request, response) => {
    await holderOf(request.params.id).empty(request.params.id);
    response.status(204).end();
  });

  return router;
}
