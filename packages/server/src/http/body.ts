import type { Bytes } from "@kinetocache/core";
import type { Request } from "express";
import { Problem } from "./problem";

/** How long the body of a request says that it is. @throws Problem 411 when it does not say, or is too long */
export function lengthOf(request: Request, most: Bytes): Bytes {
  const size = Number(request.headers["content-length"]);
  if (Number.isInteger(size) && size >= 1 && size <= most) return size;
  throw new Problem(411, "length-required", `Content-Length must be from 1 to ${most} bytes`);
}

/**
 * Hands the content of a request to whoever takes it. What they leave, as they refuse it in the middle, is read and
 * dropped: a connection that is cut off instead takes the answer with it.
 */
export async function withContent<T>(
  request: Request,
  take: (content: AsyncIterable<Uint8Array>) => Promise<T>,
): Promise<T> {
  try {
    return await take(request.iterator({ destroyOnReturn: false }) as AsyncIterable<Uint8Array>);
  } finally {
    request.resume();
  }
}
