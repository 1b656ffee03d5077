import cookieParser from "cookie-parser";
import express, { type Express, type RequestHandler } from "express";
import { driveRoutes, type DriveParts } from "./drives/routes";
import type { Access } from "./http/access";
import { isolate, onlyLoopbackHost, onlyOwnOrigin } from "./http/origin";
import { answerProblem, notFound } from "./http/problem";
import type { Jobs } from "./jobs/jobs";
import { jobRoutes } from "./jobs/routes";
import { machineRoutes, type MachineParts } from "./machine/routes";
import type { Media } from "./media/media";
import { mediaRoutes } from "./media/routes";
import type { FolderChooser } from "./places/folderChooser";
import { folderRoutes } from "./places/routes";
import { sequenceRoutes } from "./sequences/routes";
import { sweepRoutes, type SweepParts } from "./sweep/routes";
import type { Locations } from "./volumes/locations";
import type { Moves } from "./volumes/moves";
import { frameRoutes, locationRoutes } from "./volumes/routes";
import type { Workers } from "./work/workers";

export interface AppParts {
  readonly access: Access;
  readonly workers: Workers;
  readonly locations: Locations;
  readonly media: Media;
  readonly moves: Moves;
  readonly sweep: Omit<SweepParts, "locations">;
  readonly jobs: Jobs;
  readonly machine: MachineParts;
  readonly drives: DriveParts;
  readonly folders: FolderChooser;
  /** Serves the interface: built files, or the developer's loop. */
  readonly pages: readonly RequestHandler[];
}

/** The whole server as one Express application. */
export function createApp({
  access,
  workers,
  locations,
  media,
  moves,
  sweep,
  jobs,
  machine,
  drives,
  folders,
  pages,
}: AppParts): Express {
  const app = express();
  app.disable("x-powered-by");
  app.disable("etag");
  app.use(onlyLoopbackHost, isolate, cookieParser(), access.check);
  app.use("/api", onlyOwnOrigin);
  app.use("/api/machine", machineRoutes(machine));
  app.use("/api/drives", driveRoutes(drives));
  app.use("/api/folders", folderRoutes(folders));
  app.use(
    "/api/locations",
    locationRoutes(locations, moves, (location, keys, over) => sweep.sweeper.holdings.giveUp(location, keys, over)),
  );
  app.use("/api/frames", frameRoutes(locations));
  app.use("/api/jobs", jobRoutes(jobs));
  app.use("/api/media", mediaRoutes(media));
  app.use("/api/sequences", sequenceRoutes(locations, workers, jobs));
  app.use("/api/sweep", sweepRoutes({ locations, ...sweep }));
  app.use("/api", notFound);
  if (pages.length > 0) app.use(...(pages as [RequestHandler]));
  app.use(answerProblem);
  return app;
}
