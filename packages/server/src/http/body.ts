import type { Bytes } from "@kinetocache/core";
import type { Request } from "express";
import { Problem } from "./problem";

/** How long the body of a request says that it is. @throws Problem 411 when it does not say, or is too long */
export function lengthOf(request: Request, most: Bytes): Bytes {
  const size = Number(request.headers["content-length"]);
  if (Number.isInteger(size) && size >= 1 && size <= most) return size;
  throw new Problem(411, "length-required", `Content-Length must be from 1 to ${most} bytes`);
}
