import { realpath, stat } from "node:fs/promises";
import path from "node:path";
import express, { Router } from "express";
import Joi from "joi";
import { leaving } from "../http/leaving";
import { pathSchema } from "../http/paths";
import { accept, Problem } from "../http/problem";
import type { Locations } from "../volumes/locations";
import { allDrives } from "./allDrives";
import type { DriveLog } from "./driveLog";
import { isInside } from "./drives";
import { testDrive } from "./driveTest";
import { REAL_MEDIUM } from "./medium";
import type { SimulatedDrives } from "./simulatedDrive";

export interface DriveParts {
  readonly log: DriveLog;
  readonly locations: Locations;
  readonly simulated: SimulatedDrives;
}

interface TestRequest {
  readonly mount: string;
  readonly folder?: string;
  readonly frameBytes: number;
  readonly frames: number;
}

const testSchema = Joi.object<TestRequest>({
  mount: pathSchema.required(),
  folder: pathSchema,
  frameBytes: Joi.number()
    .integer()
    .min(4096)
    .max(2 ** 30)
    .required(),
  frames: Joi.number().integer().min(4).max(240).required(),
});

// Progress is told no more often than a bar can move.
const TELL_MS = 100;

export function driveRoutes({ log, locations, simulated }: DriveParts): Router {
  const router = Router();
  let isTesting = false;

  const drives = () => allDrives(locations.folders(), simulated);

  router.get("/", async (_request, response) => {
    response.json({ drives: await drives(), tests: log.all });
  });

  /** Where a drive is tested: the folder that was chosen, or that of a location on it, or the drive itself. */
  async function folderFor({ mount, folder }: TestRequest): Promise<string> {
    const drive = (await drives()).find((one) => one.mount === mount);
    if (!drive) throw new Problem(404, "no-drive", `There is no drive at ${mount}`);
    const own = locations.folders().find(({ id, holds }) => holds === "frames" && drive.locations.includes(id));
    if (folder === undefined) return own?.folder ?? mount;
    if (!path.isAbsolute(folder)) throw new Problem(400, "invalid", "folder: a full path is needed");
    const real = await realpath(folder).catch(() => {
      throw new Problem(404, "no-folder", `There is no folder ${folder}`);
    });
    // The same file system has the same number, wherever else it may be mounted.
    const [inFolder, onDrive] = await Promise.all([stat(real), stat(mount)]);
    if (drive.simulated ? !isInside(real, mount) : inFolder.dev !== onDrive.dev || simulated.of(real))
      throw new Problem(400, "invalid", `folder: ${folder} is not on the drive at ${mount}`);
    return real;
  }

  // Lines of JSON: how far it is, and at the end the result or why there is none. Closing the connection ends it.
  router.post("/test", express.json(), async (request, response) => {
    const wanted = accept(testSchema, request.body, "body");
    if (isTesting)
      throw new Problem(409, "busy", "Another drive is being tested; two at once would disturb each other");
    isTesting = true;
    try {
      const folder = await folderFor(wanted);
      const plan = { ...wanted, folder, medium: simulated.of(folder) ?? REAL_MEDIUM };
      const left = leaving(response);
      response.set({ "Content-Type": "application/x-ndjson", "Cache-Control": "no-store" });
      const tell = (line: object) => response.write(`${JSON.stringify(line)}\n`);
      let toldMs = 0;
      const onProgress = (share: number) => {
        if (performance.now() - toldMs < TELL_MS) return;
        toldMs = performance.now();
        tell({ progress: share });
      };
      try {
        const test = await testDrive(plan, onProgress, left);
        await log.add(test);
        tell({ test });
      } catch (error) {
        if (!left.aborted) tell({ failure: (error as Error).message });
      }
      response.end();
    } finally {
      isTesting = false;
    }
  });

  return router;
}
