import type { RequestHandler } from "express";
import { Problem } from "./problem";

const LOOPBACK = /^(127\.0\.0\.1|localhost|\[::1\]):(\d+)$/;

/** Serves only requests that name a loopback host and this port, so that a foreign name that points here is refused. */
export const onlyLoopbackHost: RequestHandler = (request, _response, next) => {
  const match = LOOPBACK.exec(request.headers.host ?? "");
  if (!match || Number(match[2]) !== request.socket.localPort) {
    throw new Problem(403, "foreign-host", `Requests must go to 127.0.0.1:${request.socket.localPort}`);
  }
  next();
};

/** Serves the interface's own pages only: the browser vouches for where a request comes from. */
export const onlyOwnOrigin: RequestHandler = (request, _response, next) => {
  const own = `http://${request.headers.host}`;
  const { origin } = request.headers;
  const site = request.headers["sec-fetch-site"];
  if (origin === own || (origin === undefined && site === "same-origin")) {
    next();
    return;
  }
  throw new Problem(
    403,
    "foreign-origin",
    `Only pages of ${own} may ask this; the request came from ${origin ?? "no page"}`,
  );
};

/** Cross-origin isolation for shared memory and fine clocks, and a policy that lets nothing foreign in. */
export const isolate: RequestHandler = (_request, response, next) => {
  response.set({
    "Cross-Origin-Opener-Policy": "same-origin",
    "Cross-Origin-Embedder-Policy": "require-corp",
    "Cross-Origin-Resource-Policy": "same-origin",
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "no-referrer",
    "Content-Security-Policy":
      "default-src 'self'; script-src 'self' 'wasm-unsafe-eval'; style-src 'self' 'unsafe-inline'; " +
      "img-src 'self' data: blob:; worker-src 'self' blob:; object-src 'none'; base-uri 'none'; frame-ancestors 'none'",
  });
  next();
};
