import type { ProgramMark } from "@kinetocache/core";
import express, { Router } from "express";
import Joi from "joi";
import { accept, Problem } from "../http/problem";
import { Contention } from "./contention";
import { Disturbances } from "./disturbances";
import type { Live } from "./live";
import { probeHardware, probeMachine } from "./probe";
import type { ProgramNotes } from "./programNotes";
import { askToQuit } from "./quit";
import type { SimulatedMachines } from "./simulated";
import { startupEntries } from "./startup";

const programSchema = Joi.object<{ id: string }>({ id: Joi.string().min(1).max(1000).required() });
const markSchema = programSchema.append<{ id: string; mark?: ProgramMark }>({
  mark: Joi.string().valid("keep", "not needed"),
});

export interface MachineParts {
  readonly live: Live;
  readonly notes: ProgramNotes;
  readonly simulated: SimulatedMachines;
}

export function machineRoutes({ live, notes, simulated }: MachineParts): Router {
  const router = Router();

  router.get("/", async (_request, response) => {
    response.json(await probeMachine());
  });

  const disturbances = new Disturbances(notes);
  router.get("/disturbances", async (_request, response) => {
    response.json(await disturbances.read());
  });

  const contention = new Contention();
  router.get("/contention", (request, response) => {
    response.json({ share: contention.read(request.socket.remotePort ?? 0, performance.now()) ?? null });
  });

  router.get("/hardware", async (_request, response) => {
    response.json(await probeHardware());
  });

  router.get("/startup", (_request, response) => {
    response.json(process.platform === "linux" ? startupEntries() : null);
  });

  router.get("/simulated", async (_request, response) => {
    response.json(await simulated.list());
  });

  router.get("/live", (request, response) => {
    response.set({ "Content-Type": "text/event-stream", "Cache-Control": "no-store" });
    response.flushHeaders();
    const end = live.listen(
      (figures) => response.write(`data: ${JSON.stringify(figures)}\n\n`),
      request.socket.remotePort ?? 0,
    );
    response.on("close", end);
  });

  const running = (id: string) => {
    const found = live.find(id);
    if (!found) throw new Problem(409, "gone", "The program is not running any more; nothing was done");
    return found;
  };

  router.put("/marks", express.json(), async (request, response) => {
    const { id, mark } = accept(markSchema, request.body, "body");
    await notes.setMark(running(id).watched, mark);
    response.status(204).end();
  });

  router.post("/quit", express.json(), async (request, response) => {
    const { id } = accept(programSchema, request.body, "body");
    const found = running(id);
    if (!found.advised.advice.mayAsk)
      throw new Problem(403, "not-offered", `${found.advised.name} is left alone: ${found.advised.advice.text}`);
    response.json(await askToQuit(found.watched.members));
  });

  return router;
}
