import type { Response } from "express";

/** Aborted once nobody waits for the response any more, by its end at the latest. */
export function leaving(response: Response): AbortSignal {
  const left = new AbortController();
  response.on("close", () => left.abort());
  return left.signal;
}
