import path from "node:path";
import express, { type RequestHandler } from "express";

/** The built interface; every path that is no file opens the application. */
export function builtPages(folder: string): readonly RequestHandler[] {
  const files = express.static(folder, {
    index: false,
    setHeaders: (response, file) => {
      // Built files have their content's hash in the name.
      const hashed = file.includes(`${path.sep}assets${path.sep}`);
      response.setHeader("Cache-Control", hashed ? "public, max-age=31536000, immutable" : "no-cache");
    },
  });
  const application: RequestHandler = (request, response, next) => {
    if (request.method !== "GET" || path.extname(request.path) !== "") next();
    else response.sendFile("index.html", { root: folder, headers: { "Cache-Control": "no-cache" } });
  };
  return [files, application];
}
