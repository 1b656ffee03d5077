import { FRAME_FORMATS, KEY_PATTERN, type FrameFormat } from "@kinetocache/core";
import express, { Router } from "express";
import Joi from "joi";
import { accept, Problem } from "../http/problem";
import { settingsSchema, type Volume } from "./volume";

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

// A 16384 × 4096 picture at float is 1 GiB.
const LARGEST_FRAME = 2 ** 30;

export function volumeRoutes(volume: Volume): Router {
  const router = Router();

  router.get("/", async (_request, response) => {
    response.json(await volume.state());
  });

  router.put("/", express.json(), async (request, response) => {
    await volume.change(accept(settingsSchema, request.body, "settings"));
    response.json(await volume.state());
  });

  router.get("/keys", (_request, response) => {
    response.json(volume.keys());
  });

  router.get("/frames/:key", async (request, response) => {
    const { content, format } = await volume.read(accept<string>(keySchema, request.params.key, "path"));
    response.set({ "Content-Type": "application/octet-stream", "X-Frame-Format": format, "Cache-Control": "no-store" });
    response.end(content);
  });

  router.put("/frames/:key", async (request, response) => {
    const key = accept<string>(keySchema, request.params.key, "path");
    const query = accept(querySchema, request.query, "query");
    const size = Number(request.headers["content-length"]);
    if (!Number.isInteger(size) || size < 1 || size > LARGEST_FRAME) {
      throw new Problem(411, "length-required", `Content-Length must be from 1 to ${LARGEST_FRAME} bytes`);
    }
    await volume.write({ key, size, ...query }, request as AsyncIterable<Uint8Array>);
    response.status(204).end();
  });

  return router;
}
