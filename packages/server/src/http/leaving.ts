import type { Response } from "express";
import { Problem } from "./problem";

/** Aborted once nobody waits for the response any more, by its end at the latest. */
export function leaving(response: Response): AbortSignal {
  const left = new AbortController();
  response.on("close", () => left.abort(new Problem(499, "left", "Nobody waits for the answer any more")));
  return left.signal;
}
