import {
  cleaningRuleSchema,
  MOST_RULES,
  ruleFileSchema,
  type CleaningRule,
  type HandedComposition,
  type RuleFile,
  type Selection,
  type SweepSettings,
} from "@kinetocache/core";
import express, { Router } from "express";
import Joi from "joi";
import { lengthOf, withContent } from "../http/body";
import { leaving } from "../http/leaving";
import { pathFault, pathSchema } from "../http/paths";
import { accept } from "../http/problem";
import type { Locations } from "../volumes/locations";
import { handedSchema } from "./handedOver";
import { Changes, seldom } from "./changes";
import { compositionReportSchema, type CompositionReport } from "./clients";
import { markChangeSchema, sweepSettingsSchema } from "./preferences";
import type { Sweeper } from "./sweeper";
import type { Timekeeper } from "./timekeeper";
import type { Wrap } from "./wrap";

// Its stills are in it, and clips of earlier releases.
const LARGEST_COMPOSITION = 4 * 2 ** 30;

/** Checked by hand: there are hundreds of thousands of them. */
function paths(ids: readonly unknown[], { message }: Joi.CustomHelpers): readonly unknown[] | Joi.ErrorReport {
  const fault = (id: unknown) => (typeof id === "string" ? pathFault(id) : "is no path");
  const bad = ids.findIndex((id) => fault(id) !== undefined);
  return bad < 0 ? ids : message({ custom: `{{#label}}[${bad}] ${fault(ids[bad])!}` });
}

const selectionSchema = Joi.object<{ selection: Selection }>({
  selection: Joi.array()
    .min(1)
    .max(1000)
    .items(
      Joi.object({
        place: Joi.string().max(64).required(),
        ids: Joi.array().min(1).max(1_000_000).custom(paths).required(),
      }),
    )
    .required(),
});
const folderSchema = Joi.object<{ folder: string; projects: string[] }>({
  folder: pathSchema.required(),
  projects: Joi.array().max(50).items(pathSchema).required(),
});
const projectsSchema = Joi.object<{ projects: string[] }>({
  projects: Joi.array().max(50).items(pathSchema).required(),
});
const scanSchema = Joi.object<{ fresh: boolean }>({ fresh: Joi.boolean().required() });
const partSchema = Joi.object<{ numbers?: number[] }>({
  numbers: Joi.array().items(Joi.number().integer().min(0)).min(1).max(1_000_000),
});
const rulesSchema = Joi.object<{ rules: CleaningRule[] }>({
  rules: Joi.array().max(MOST_RULES).items(cleaningRuleSchema).unique("id").required(),
});
const trySchema = Joi.object<{ ruleFile: RuleFile; paths: string[] }>({
  ruleFile: ruleFileSchema.required(),
  paths: Joi.array().max(1000).items(Joi.string().min(1).max(4096)).required(),
});

const wrapSchema = Joi.object<{ file: string; target: string; sweeps: boolean }>({
  file: pathSchema.required(),
  target: pathSchema.required(),
  sweeps: Joi.boolean().required(),
});
const compositionSchema = Joi.object<{ id: string }>({
  id: Joi.string()
    .pattern(/^[\w-]{1,64}$/)
    .required(),
});
const profileSchema = Joi.object<{ profile: string }>({ profile: Joi.string().min(1).max(64).required() });
const fileSchema = Joi.object<{ file: string }>({ file: pathSchema.required() });
const reopenSchema = Joi.object<{ folder: string }>({ folder: pathSchema.required() });
const relinkSchema = Joi.object<{ folder: string; from: string }>({
  folder: pathSchema.required(),
  from: pathSchema.required(),
});

// The list may be of 100,000 frames, and is sent whole.
const ITEMS_MS = 5000;
const FREE_STEP = 64 * 2 ** 20;

const small = express.json();
const large = express.json({ limit: "128mb" });

export interface SweepParts {
  readonly locations: Locations;
  readonly sweeper: Sweeper;
  readonly timekeeper: Timekeeper;
  readonly wrap: Wrap;
}

/** Sweeping: what is listed, what is planned, what moves, and by which rules. */
export function sweepRoutes({ locations, sweeper, timekeeper, wrap }: SweepParts): Router {
  const router = Router();
  const changes = new Changes({
    items: seldom(() => locations.open().map(({ id, volume }) => [id, volume.frames.changes]), ITEMS_MS),
    // What is free changes all the time, and the forecast with it.
    folders: async () =>
      (await sweeper.scanning.reports()).map(({ freeBytes = 0, forecast: _, ...report }) => [
        report,
        Math.round(freeBytes / FREE_STEP),
      ]),
    holds: () => sweeper.holdings.holds(),
    history: () => sweeper.history.all,
    settings: () => [sweeper.preferences.settings, timekeeper.rulesAtMs],
    marks: () => sweeper.preferences.marks,
    offered: () => sweeper.offered(),
    compositions: () => sweeper.clients.known,
  });

  // Names of what has changed, as they do.
  router.get("/changes", async (_request, response) => {
    const left = leaving(response);
    const end = await changes.listen((name) => response.write(`data: ${name}\n\n`));
    left.addEventListener("abort", end);
    if (left.aborted) end();
    response.set({ "Content-Type": "text/event-stream", "Cache-Control": "no-store" });
    response.flushHeaders();
  });

  router.get("/items", (_request, response) => {
    response.json(
      locations.open().flatMap(({ id, volume }) => volume.frames.items().map((item) => ({ ...item, location: id }))),
    );
  });

  router.get("/folders", async (_request, response) => {
    response.json(await sweeper.scanning.reports());
  });

  router.post("/folders", small, async (request, response) => {
    const { folder, projects } = accept(folderSchema, request.body, "body");
    response.status(201).json(await sweeper.register(folder, projects));
  });

  router.put("/folders/:id", small, async (request, response) => {
    await sweeper.setProjects(request.params.id, accept(projectsSchema, request.body, "body").projects);
    response.status(204).end();
  });

  router.delete("/folders/:id", async (request, response) => {
    await sweeper.unregister(request.params.id);
    response.status(204).end();
  });

  router.post("/folders/:id/scan", small, (request, response) => {
    const { fresh } = accept(scanSchema, request.body, "body");
    response.status(202).json({ job: sweeper.scanning.scan(request.params.id, fresh).id });
  });

  // Lines of JSON: hundreds of thousands of items are read a few at a time.
  router.get("/folders/:id/items", async (request, response) => {
    const lines = await sweeper.desk.call("items", sweeper.folders.get(request.params.id).id);
    response.set({ "Content-Type": "application/x-ndjson", "Cache-Control": "no-store" });
    for (const line of lines) response.write(line);
    response.end();
  });

  router.post("/plan", large, async (request, response) => {
    const { items, ...plan } = await sweeper.holdings.plan(accept(selectionSchema, request.body, "body").selection);
    // The screen has the items.
    response.json({ ...plan, items: items.length });
  });

  router.get("/holds", async (_request, response) => {
    response.json(timekeeper.withAges(await sweeper.holdings.holds()));
  });

  router.post("/holds", large, async (request, response) => {
    response
      .status(201)
      .json(await sweeper.holdings.hold(accept(selectionSchema, request.body, "body").selection, "you"));
  });

  router.get("/holds/:id/items", async (request, response) => {
    response.json(await sweeper.holdings.heldItems(request.params.id));
  });

  router.post("/holds/:id/restore", large, async (request, response) => {
    const { numbers } = accept(partSchema, request.body ?? {}, "body");
    response.json({ stayed: await sweeper.holdings.restore(request.params.id, numbers) });
  });

  router.post("/holds/:id/empty", large, async (request, response) => {
    const { numbers } = accept(partSchema, request.body ?? {}, "body");
    response.json({ stayed: await sweeper.holdings.empty(request.params.id, "you", numbers) });
  });

  router.get("/history", (_request, response) => {
    response.json(sweeper.history.all);
  });

  router.get("/settings", (_request, response) => {
    response.json({ ...sweeper.preferences.settings, rulesAtMs: timekeeper.rulesAtMs });
  });

  router.put("/settings", small, async (request, response) => {
    await sweeper.preferences.changeSettings(accept<SweepSettings>(sweepSettingsSchema, request.body, "settings"));
    await timekeeper.settingsChanged();
    response.status(204).end();
  });

  // What rules would take now; nothing moves.
  router.post("/rules/preview", small, async (request, response) => {
    response.json(await sweeper.rules.preview(accept(rulesSchema, request.body, "body").rules));
  });

  router.post("/rules/run", async (_request, response) => {
    response.json(await sweeper.rules.run("your rules"));
  });

  router.get("/rule-file", (_request, response) => {
    response.json(sweeper.preferences.ruleFile);
  });

  router.put("/rule-file", large, async (request, response) => {
    await sweeper.changeRuleFile(accept<RuleFile>(ruleFileSchema, request.body, "rule file"));
    response.status(204).end();
  });

  router.post("/rule-file/try", large, async (request, response) => {
    const { ruleFile, paths } = accept(trySchema, request.body, "body");
    response.json(await sweeper.desk.call("explain", ruleFile, paths));
  });

  router.get("/marks", (_request, response) => {
    response.json(sweeper.preferences.marks);
  });

  router.post("/marks", small, async (request, response) => {
    await sweeper.changeMark(accept(markChangeSchema, request.body, "mark"));
    response.status(204).end();
  });

  router.put("/compositions", large, async (request, response) => {
    await sweeper.tell(accept<CompositionReport>(compositionReportSchema, request.body, "compositions"));
    response.status(204).end();
  });

  // What other profiles of the browser have.
  router.get("/compositions", (request, response) => {
    response.json(sweeper.clients.beside(accept(profileSchema, request.query, "query").profile));
  });

  // A page is still there; one that is not known any more tells anew.
  router.post("/tabs/:id", (request, response) => {
    response.json({ isKnown: sweeper.clients.see(request.params.id) });
  });

  router.delete("/tabs/:id", (request, response) => {
    sweeper.clients.leave(request.params.id);
    response.status(204).end();
  });

  router.get("/offered", async (_request, response) => {
    response.json(await sweeper.offered());
  });

  router.get("/projects", async (_request, response) => {
    response.json(await wrap.projects());
  });

  router.get("/wrap", async (request, response) => {
    response.json(await wrap.look(accept(fileSchema, request.query, "query").file, leaving(response)));
  });

  router.post("/wrap", small, async (request, response) => {
    const { file, target, sweeps } = accept(wrapSchema, request.body, "body");
    response.status(202).json({ job: await wrap.start(file, target, sweeps, leaving(response)) });
  });

  router.put("/wrap/compositions/:id", small, (request, response) => {
    const { id } = accept(compositionSchema, request.params, "path");
    response.json(wrap.handed.take(id, accept<HandedComposition>(handedSchema, request.body, "body")));
  });

  router.put("/wrap/compositions/:id/file", async (request, response) => {
    const { id } = accept(compositionSchema, request.params, "path");
    const length = lengthOf(request, LARGEST_COMPOSITION);
    await withContent(request, (content) => wrap.handed.takeFile(id, length, content));
    response.status(204).end();
  });

  router.get("/gathered", (_request, response) => {
    response.json(wrap.gathered);
  });

  router.post("/gathered", small, async (request, response) => {
    response.json(await wrap.reopen(accept(reopenSchema, request.body, "body").folder, leaving(response)));
  });

  router.post("/gathered/relink", small, async (request, response) => {
    const { folder, from } = accept(relinkSchema, request.body, "body");
    response.json(await wrap.relink(folder, from, leaving(response)));
  });

  return router;
}
