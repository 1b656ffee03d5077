import express, { type Express, type RequestHandler } from "express";
import type { DriveLog } from "./drives/driveLog";
import { driveRoutes } from "./drives/routes";
import { isolate, onlyLoopbackHost, onlyOwnOrigin } from "./http/origin";
import { answerProblem, notFound } from "./http/problem";
import { machineRoutes, type MachineParts } from "./machine/routes";
import type { Holding } from "./sweep/holding";
import { sweepRoutes } from "./sweep/routes";
import { volumeRoutes } from "./volumes/routes";
import type { Volume } from "./volumes/volume";

export interface AppParts {
  readonly volume: Volume;
  readonly holding: Holding;
  readonly machine: MachineParts;
  readonly drives: DriveLog;
  /** Serves the interface: built files, or the developer's loop. */
  readonly pages: readonly RequestHandler[];
}

/** The whole server as one Express application. */
export function createApp({ volume, holding, machine, drives, pages }: AppParts): Express {
  const app = express();
  app.disable("x-powered-by");
  app.disable("etag");
  app.use(onlyLoopbackHost, isolate);
  app.use("/api", onlyOwnOrigin);
  app.use("/api/machine", machineRoutes(machine));
  app.use("/api/drives", driveRoutes(drives, volume.root));
  app.use("/api/volume", volumeRoutes(volume));
  app.use("/api/sweep", sweepRoutes(volume, holding));
  app.use("/api", notFound);
  if (pages.length > 0) app.use(...(pages as [RequestHandler]));
  app.use(answerProblem);
  return app;
}
