import {
  FRAME_FORMATS,
  KEY_PATTERN,
  LARGEST_CAP,
  locationSettingsSchema,
  SMALLEST_CAP,
  type FrameFormat,
  type LocationSettings,
} from "@kinetocache/core";
import express, { Router } from "express";
import Joi from "joi";
import { lengthOf, withContent } from "../http/body";
import { pathSchema } from "../http/paths";
import { accept } from "../http/problem";
import type { Holds, Locations, OpenLocation } from "./locations";
import type { Moves } from "./moves";
import type { OverCap } from "./room";
import type { Consent } from "./volume";

const keySchema = Joi.string().pattern(KEY_PATTERN, "32 hexadecimal digits").required().label("key");

interface FrameQuery {
  readonly owner: string;
  readonly format: FrameFormat;
  readonly costMs: number;
}

const querySchema = Joi.object<FrameQuery>({
  owner: Joi.string()
    .pattern(/^[a-z0-9][a-z0-9-]{0,63}$/, "lower-case letters, digits and hyphens")
    .required(),
  format: Joi.string()
    .valid(...FRAME_FORMATS)
    .required(),
  costMs: Joi.number().min(0).max(1e8).required(),
});

const registerSchema = Joi.object<{ folder: string; holds: Holds }>({
  folder: pathSchema.required(),
  holds: Joi.string().valid("frames", "media").required(),
});

const changeSchema = locationSettingsSchema.append<Partial<LocationSettings> & Consent>({
  mayHold: Joi.boolean(),
  mayRemove: Joi.boolean(),
});
const capSchema = Joi.object<{ capBytes: number }>({
  capBytes: Joi.number().integer().min(SMALLEST_CAP).max(LARGEST_CAP).required(),
});
const moveSchema = Joi.object<{ to: string }>({ to: Joi.string().max(40).required() });

// A 16384 × 4096 picture at float is 1 GiB.
const LARGEST_FRAME = 2 ** 30;

/**
 * Locations, their settings and what is stored in them.
 * @param giveUp takes frames of a location that a lower cap has no room for
 */
export function locationRoutes(
  locations: Locations,
  moves: Moves,
  giveUp: (location: OpenLocation, keys: readonly string[], over: OverCap) => Promise<void>,
): Router {
  const router = Router();

  router.get("/", async (_request, response) => {
    response.json(await locations.list());
  });

  router.post("/", express.json(), async (request, response) => {
    const { folder, holds } = accept(registerSchema, request.body, "body");
    response.status(201).json(await locations.register(folder.trim(), holds));
  });

  router.delete("/:id", async (request, response) => {
    moves.checkIdle(request.params.id);
    await locations.unregister(request.params.id);
    response.status(204).end();
  });

  router.put("/:id", express.json(), async (request, response) => {
    const { id } = request.params;
    const location = locations.get(id);
    const { mayHold, mayRemove, ...settings } = accept(changeSchema, request.body, "settings");
    const consent = { mayHold, mayRemove };
    await location.volume.change(settings, (keys, over) => giveUp(location, keys, over), consent);
    response.json(await location.volume.state());
  });

  // What a cap would take; nothing is changed.
  router.post("/:id/cap", express.json(), async (request, response) => {
    const { volume } = locations.get(request.params.id);
    response.json(await volume.room.takenBy(accept(capSchema, request.body, "body").capBytes));
  });

  router.post("/:id/move", express.json(), async (request, response) => {
    const { to } = accept(moveSchema, request.body, "body");
    response.status(202).json({ job: await moves.start(request.params.id, to) });
  });

  router.put("/:id/frames/:key", async (request, response) => {
    const { volume } = locations.get(request.params.id);
    const key = accept<string>(keySchema, request.params.key, "path");
    const query = accept(querySchema, request.query, "query");
    const size = lengthOf(request, LARGEST_FRAME);
    await withContent(request, (content) => volume.write({ key, size, ...query }, content));
    response.status(204).end();
  });

  router.delete("/:id/frames/:key", async (request, response) => {
    const { volume } = locations.get(request.params.id);
    await volume.frames.remove(accept<string>(keySchema, request.params.key, "path"));
    response.status(204).end();
  });

  return router;
}

/** Frames by their key, wherever they are stored. */
export function frameRoutes(locations: Locations): Router {
  const router = Router();

  router.get("/", (_request, response) => {
    response.json(locations.open().map(({ id, volume }) => ({ location: id, frames: volume.frames.keys() })));
  });

  router.get("/:key", async (request, response) => {
    const key = accept<string>(keySchema, request.params.key, "path");
    const { content, format, owner, costMs, location } = await locations.read(key);
    const about = { "X-Frame-Format": format, "X-Location": location, "X-Owner": owner, "X-Cost-Ms": String(costMs) };
    response.set({ "Content-Type": "application/octet-stream", "Cache-Control": "no-store", ...about });
    response.end(content);
  });

  return router;
}
