import { PLACE_USES, type PlaceUse } from "@kinetocache/core";
import express, { Router } from "express";
import Joi from "joi";
import { pathSchema } from "../http/paths";
import { accept } from "../http/problem";
import type { FolderChooser } from "./folderChooser";

const listSchema = Joi.object<{ path: string; use?: PlaceUse }>({
  path: pathSchema.required(),
  use: Joi.string().valid(...PLACE_USES),
});
const newSchema = Joi.object<{ parent: string; name: string }>({
  parent: pathSchema.required(),
  name: Joi.string()
    .trim()
    .min(1)
    .max(255)
    .pattern(/^[^/\\\0]+$/, "a name without / and \\")
    .invalid(".", "..")
    .required(),
});

/** Looking for a folder. */
export function folderRoutes(chooser: FolderChooser): Router {
  const router = Router();

  router.get("/starts", async (_request, response) => {
    response.json(await chooser.starts());
  });

  router.get("/", async (request, response) => {
    const { path, use } = accept(listSchema, request.query, "query");
    response.json(await chooser.list(path, use));
  });

  router.post("/", express.json(), async (request, response) => {
    const { parent, name } = accept(newSchema, request.body, "body");
    response.status(201).json({ path: await chooser.make(parent, name) });
  });

  return router;
}
