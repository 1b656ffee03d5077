import {
  KEY_PATTERN,
  newSequenceSchema,
  numberedName,
  readFrame,
  readPng,
  redepth,
  writeExr,
  writePng,
  writeQoi,
  type ContentKey,
  type NewSequence,
} from "@kinetocache/core";
import express, { Router, type Request } from "express";
import { Zip, ZipPassThrough } from "fflate";
import Joi from "joi";
import { accept, Problem } from "../http/problem";
import type { Locations } from "../volumes/locations";
import type { Sequence } from "./sequence";

const createSchema = newSequenceSchema.append<NewSequence & { readonly location: string }>({
  location: Joi.string().max(40).required(),
});
const numberSchema = Joi.number().integer().min(0).max(1_000_000).required().label("frame");
const writeSchema = Joi.object<{ key?: ContentKey }>({ key: Joi.string().pattern(KEY_PATTERN) });
const exportSchema = Joi.object<{ format: "png" | "exr"; first: number }>({
  format: Joi.string().valid("png", "exr").required(),
  first: Joi.number().integer().min(0).max(1_000_000).default(0),
});

// A 16384 × 4096 picture at float is 1 GiB.
const LARGEST_FRAME = 2 ** 30;
const PNG_START = 0x89;

/** Stored sequences: bakes, and pictures that were brought in. */
export function sequenceRoutes(locations: Locations): Router {
  const router = Router();

  const find = (id: string): { readonly location: string; readonly sequence: Sequence } => {
    for (const { id: location, sequences } of locations.open()) {
      const sequence = sequences.get(id);
      if (sequence) return { location, sequence };
    }
    throw new Problem(404, "no-sequence", "The sequence is not there, or its drive is not attached");
  };

  router.get("/", (_request, response) => {
    response.json(
      locations.open().flatMap(({ id, sequences }) => sequences.all().map((sequence) => sequence.state(id))),
    );
  });

  router.post("/", express.json({ limit: "16mb" }), async (request, response) => {
    const { location, ...described } = accept(createSchema, request.body, "body");
    const sequence = await locations.get(location).sequences.create(described);
    response.status(201).json(sequence.state(location));
  });

  router.get("/:id", (request, response) => {
    const { location, sequence } = find(request.params.id);
    response.json({ ...sequence.state(location), pictures: sequence.keys() });
  });

  router.delete("/:id", async (request, response) => {
    const { location, sequence } = find(request.params.id);
    await locations.get(location).sequences.remove(sequence.id);
    response.status(204).end();
  });

  router.post("/:id/complete", async (request, response) => {
    response.json({ digest: await find(request.params.id).sequence.complete() });
  });

  router.put("/:id/frames/:number", async (request, response) => {
    const { sequence } = find(request.params.id);
    const number = accept<number>(numberSchema, request.params.number, "path");
    const { key = "" } = accept(writeSchema, request.query, "query");
    const size = Number(request.headers["content-length"]);
    if (!Number.isInteger(size) || size < 1 || size > LARGEST_FRAME)
      throw new Problem(411, "length-required", `Content-Length must be from 1 to ${LARGEST_FRAME} bytes`);
    if (request.headers["content-type"] === "image/png") {
      const picture = await pictureOf(request);
      await sequence.write(number, key, picture.length, only(picture));
    } else await sequence.write(number, key, size, request as AsyncIterable<Uint8Array>);
    response.status(204).end();
  });

  router.get("/:id/frames/:number", async (request, response) => {
    const number = accept<number>(numberSchema, request.params.number, "path");
    const content = await find(request.params.id).sequence.read(number);
    response.set({ "Content-Type": "application/octet-stream", "Cache-Control": "no-store" }).end(content);
  });

  router.get("/:id/export", async (request, response) => {
    const { location, sequence } = find(request.params.id);
    const { format, first } = accept(exportSchema, request.query, "query");
    const { name, frames } = sequence.state(location);
    const plain = name.replace(/[^\p{L}\p{N} _-]/gu, "").trim() || "sequence";
    response.set({
      "Content-Type": "application/zip",
      "Content-Disposition": `attachment; filename="${encodeURIComponent(plain)}.zip"`,
    });
    const archive = new Zip((error, chunk, final) => {
      if (error) response.destroy(error);
      else if (final) response.end(chunk);
      else response.write(chunk);
    });
    const stored = new Map(sequence.keys());
    for (let number = 0; number < frames; number++) {
      if (!stored.has(number)) continue;
      const picture = readFrame(await sequence.read(number));
      const deep = picture.depth === "float" ? "float" : "half";
      const file = format === "png" ? writePng(redepth(picture, "8-bit")) : writeExr(redepth(picture, deep), true);
      // Pictures are packed by their own formats.
      const entry = new ZipPassThrough(numberedName(plain, first + number, format));
      archive.add(entry);
      entry.push(file, true);
      if (response.writableNeedDrain) await new Promise((resolve) => response.once("drain", resolve));
      if (response.destroyed) return;
    }
    archive.end();
  });

  return router;
}

/** A PNG file as the format that is read fast. @throws Problem 400 */
async function pictureOf(request: Request): Promise<Uint8Array> {
  const parts: Uint8Array[] = [];
  for await (const part of request as AsyncIterable<Uint8Array>) parts.push(part);
  const file = Buffer.concat(parts);
  if (file[0] !== PNG_START) throw new Problem(400, "invalid", "body: this is no PNG file");
  try {
    return writeQoi(readPng(file));
  } catch (error) {
    throw new Problem(400, "invalid", `body: ${(error as Error).message}`);
  }
}

async function* only(content: Uint8Array): AsyncGenerator<Uint8Array> {
  yield content;
}
