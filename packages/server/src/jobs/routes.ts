import express, { Router } from "express";
import Joi from "joi";
import { accept } from "../http/problem";
import type { Jobs } from "./jobs";

const wishSchema = Joi.object<{ wish: "pause" | "resume" | "cancel" }>({
  wish: Joi.string().valid("pause", "resume", "cancel").required(),
});

// Progress is told no more often than a bar can move.
const TELL_MS = 100;

export function jobRoutes(jobs: Jobs): Router {
  const router = Router();

  // The list of jobs; as server-sent events it comes again whenever it changed.
  router.get("/", (request, response) => {
    if (request.accepts(["json", "text/event-stream"]) === "json") {
      response.json(jobs.list());
      return;
    }
    response.set({ "Content-Type": "text/event-stream", "Cache-Control": "no-store" });
    let timer: NodeJS.Timeout | undefined;
    const tell = () => {
      timer = undefined;
      response.write(`data: ${JSON.stringify(jobs.list())}\n\n`);
    };
    tell();
    const leave = jobs.subscribe(() => (timer ??= setTimeout(tell, TELL_MS)));
    response.on("close", () => {
      clearTimeout(timer);
      leave();
    });
  });

  router.post("/:id", express.json(), (request, response) => {
    jobs.steer(request.params.id, accept(wishSchema, request.body, "body").wish);
    response.status(204).end();
  });

  return router;
}
