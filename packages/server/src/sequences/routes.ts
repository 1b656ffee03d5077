import {
  KEY_PATTERN,
  newSequenceSchema,
  numberedName,
  pngSize,
  type Bytes,
  type ContentKey,
  type FrameNumber,
  type NewSequence,
} from "@kinetocache/core";
import { once } from "node:events";
import express, { Router, type Request, type Response } from "express";
import { Zip, type ZipInputFile } from "fflate";
import Joi from "joi";
import { lengthOf, withContent } from "../http/body";
import { leaving } from "../http/leaving";
import type { JobControl, Jobs } from "../jobs/jobs";
import { accept, Problem } from "../http/problem";
import type { Locations } from "../volumes/locations";
import type { Workers } from "../work/workers";
import type { Sequence } from "./sequence";

const createSchema = newSequenceSchema.append<NewSequence & { readonly location: string }>({
  location: Joi.string().max(40).required(),
});
const numberSchema = Joi.number().integer().min(0).max(1_000_000).required().label("frame");
const writeSchema = Joi.object<{ key?: ContentKey }>({ key: Joi.string().pattern(KEY_PATTERN) });
const exportSchema = Joi.object<{ format: "png" | "exr" }>({
  format: Joi.string().valid("png", "exr").required(),
});

// A 16384 × 4096 picture at float is 1 GiB.
const LARGEST_FRAME = 2 ** 30;
const LARGEST_PNG = 2 ** 28;
const LARGEST_PIXELS = 2 ** 26;

/** Stored sequences: bakes, and pictures that were brought in. */
export function sequenceRoutes(locations: Locations, workers: Workers, jobs: Jobs): Router {
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
    response.json({
      digest: await find(request.params.id).sequence.complete((content) => workers.run("isPicture", content)),
    });
  });

  router.put("/:id/frames/:number", async (request, response) => {
    const { sequence } = find(request.params.id);
    const number = accept<number>(numberSchema, request.params.number, "path");
    const { key = "" } = accept(writeSchema, request.query, "query");
    const isPng = request.headers["content-type"] === "image/png";
    const size = lengthOf(request, isPng ? LARGEST_PNG : LARGEST_FRAME);
    if (isPng) {
      const picture = await pictureOf(await wholeOf(request, size), workers);
      await sequence.write(number, key, picture.length, only(picture));
    } else await withContent(request, (content) => sequence.write(number, key, size, content));
    response.status(204).end();
  });

  router.get("/:id/frames/:number", async (request, response) => {
    const number = accept<number>(numberSchema, request.params.number, "path");
    const content = await find(request.params.id).sequence.read(number);
    response.set({ "Content-Type": "application/octet-stream", "Cache-Control": "no-store" }).end(content);
  });

  router.get("/:id/export", async (request, response) => {
    const { location, sequence } = find(request.params.id);
    const { format } = accept(exportSchema, request.query, "query");
    const { name, frames, numbering } = sequence.state(location);
    const plain = name.replace(/[^\p{L}\p{N} _-]/gu, "").trim() || "sequence";
    response.set({
      "Content-Type": "application/zip",
      "Content-Disposition": `attachment; filename="${encodeURIComponent(plain)}.zip"`,
    });
    // What is not wanted any more is not worked on any more.
    const left = leaving(response);
    const pictures = sequence.keys().flatMap(([number]) => (number < frames ? [number] : []));
    const write = async ({ gate, report, signal }: JobControl): Promise<void> => {
      const file = async (number: FrameNumber) => {
        const stored = await sequence.readUnchecked(number);
        const made = await workers.run("exportedFrame", { ...stored, format }, signal);
        if (!made) throw sequence.altered(number);
        return made;
      };
      const archive = archiveTo(response);
      let done = 0;
      for await (const [number, { content, crc }] of inOrder(
        pictures.sort((a, b) => a - b),
        file,
        workers.width,
      )) {
        await gate();
        // Pictures are packed by their own formats.
        const entry: ZipInputFile = {
          filename: numberedName(plain, number, format, numbering),
          size: content.length,
          crc,
          compression: 0,
        };
        archive.add(entry);
        entry.ondata!(null, content as Uint8Array<ArrayBuffer>, true);
        if (response.writableNeedDrain) await once(response, "drain", { signal }).catch(() => undefined);
        report(++done / pictures.length, `${done} of ${pictures.length} pictures`);
      }
      archive.end();
    };
    await jobs.answer(`Exporting ${name}`, write, left).catch((error: unknown) => {
      if (!left.aborted) throw error;
    });
  });

  return router;
}

async function wholeOf(request: Request, size: Bytes): Promise<Uint8Array> {
  const parts: Uint8Array[] = [];
  for await (const part of request as AsyncIterable<Uint8Array>) parts.push(part);
  const file = Buffer.concat(parts);
  if (file.length !== size) throw new Problem(400, "wrong-length", `Expected ${size} bytes, received ${file.length}`);
  return file;
}

/** A PNG file as the format that is read fast. @throws Problem 400 */
async function pictureOf(file: Uint8Array, workers: Workers): Promise<Uint8Array> {
  try {
    // A few bytes can stand for a picture that fills the memory.
    const { width, height } = pngSize(file);
    if (width * height > LARGEST_PIXELS)
      throw new Error(
        `the picture has ${width} × ${height} pixels; at most ${LARGEST_PIXELS.toLocaleString("en")} are read`,
      );
    return await workers.run("pngToFrame", file);
  } catch (error) {
    throw new Problem(400, "invalid", `body: ${(error as Error).message}`);
  }
}

/** Results in the order of what they are made of, some of them under way at once. */
async function* inOrder<A, B>(all: readonly A[], make: (one: A) => Promise<B>, width: number): AsyncGenerator<[A, B]> {
  const underWay: [A, Promise<B>][] = [];
  let next = 0;
  const fill = () => {
    while (underWay.length < width && next < all.length) {
      const one = all[next++]!;
      const made = make(one);
      // It is told where it is waited for.
      made.catch(() => undefined);
      underWay.push([one, made]);
    }
  };
  for (fill(); underWay.length > 0; fill()) {
    const [one, made] = underWay.shift()!;
    const result = await made;
    yield [one, result];
  }
}

function archiveTo(response: Response): Zip {
  return new Zip((error, chunk, final) => {
    if (error) response.destroy(error);
    else if (final) response.end(chunk);
    else response.write(chunk);
  });
}

async function* only(content: Uint8Array): AsyncGenerator<Uint8Array> {
  yield content;
}
