import { Router } from "express";
import { probeMachine } from "./probe";

export function machineRoutes(): Router {
  const router = Router();
  router.get("/", async (_request, response) => {
    response.json(await probeMachine());
  });
  return router;
}
