import { KEY_PATTERN } from "@kinetocache/core";
import express, { Router } from "express";
import Joi from "joi";
import { accept } from "../http/problem";
import type { Volume } from "../volumes/volume";
import type { Holding } from "./holding";

const holdSchema = Joi.object<{ keys: string[] }>({
  keys: Joi.array().items(Joi.string().pattern(KEY_PATTERN, "32 hexadecimal digits")).min(1).max(1_000_000).required(),
});

export function sweepRoutes(volume: Volume, holding: Holding): Router {
  const router = Router();

  router.get("/items", (_request, response) => {
    response.json(volume.items());
  });

  router.get("/holds", (_request, response) => {
    response.json(holding.list());
  });

  router.post("/holds", express.json({ limit: "64mb" }), async (request, response) => {
    const { keys } = accept(holdSchema, request.body, "body");
    response.status(201).json(await holding.hold(keys));
  });

  router.post("/holds/:id/restore", async (request, response) => {
    await holding.restore(request.params.id);
    response.status(204).end();
  });

  router.delete("/holds/:id", async (request, response) => {
    await holding.empty(request.params.id);
    response.status(204).end();
  });

  return router;
}
