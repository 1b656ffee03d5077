import { pipeline } from "node:stream/promises";
import { Router, type Request, type Response } from "express";
import Joi from "joi";
import { pathSchema } from "../http/paths";
import { accept, Problem } from "../http/problem";
import type { Expected, Media } from "./media";

interface FileQuery extends Partial<Expected> {
  readonly path: string;
}

const whole = Joi.number().integer().min(0);
const fileSchema = Joi.object<FileQuery>({
  path: pathSchema.required(),
  bytes: whole,
  modifiedMs: whole,
}).and("bytes", "modifiedMs");

// Large enough that reading is not the limit, small enough that what nobody waits for any more costs little.
const PIECE_BYTES = 2 ** 20;

/** Source media: what there is, and its bytes. */
export function mediaRoutes(media: Media): Router {
  const router = Router();

  router.get("/", async (_request, response) => {
    response.json(await media.list());
  });

  router.get("/:location", async (request, response) => {
    const { path, bytes, modifiedMs } = accept(fileSchema, request.query, "query");
    const expected = bytes === undefined ? undefined : { bytes, modifiedMs: modifiedMs! };
    const opened = await media.open(request.params.location, path, expected);
    try {
      const stretch = stretchOf(request, opened.bytes);
      response.set({
        "Content-Type": "application/octet-stream",
        "Cache-Control": "no-store",
        "Accept-Ranges": "bytes",
      });
      if (stretch) response.status(206).set("Content-Range", `bytes ${stretch.start}-${stretch.end}/${opened.bytes}`);
      const { start, end } = stretch ?? { start: 0, end: opened.bytes - 1 };
      response.set("Content-Length", String(end - start + 1));
      if (end < start || request.method === "HEAD") response.end();
      else
        await send(
          opened.file.createReadStream({ start, end, highWaterMark: PIECE_BYTES, autoClose: false }),
          response,
        );
    } finally {
      await opened.file.close();
    }
  });

  return router;
}

/** The stretch that is asked for, both ends included; all of the file without one. @throws Problem 416 */
function stretchOf(request: Request, bytes: number): { readonly start: number; readonly end: number } | undefined {
  const ranges = request.range(bytes, { combine: true });
  if (ranges === undefined || ranges === -2) return undefined;
  if (ranges === -1) throw new Problem(416, "beyond-the-end", `The file has ${bytes} bytes`);
  // Several at once are answered with all, as is allowed.
  return ranges.type === "bytes" && ranges.length === 1 ? ranges[0] : undefined;
}

async function send(from: NodeJS.ReadableStream, response: Response): Promise<void> {
  try {
    await pipeline(from, response);
  } catch (error) {
    // Whoever asked has left.
    if ((error as NodeJS.ErrnoException).code !== "ERR_STREAM_PREMATURE_CLOSE") throw error;
  }
}
