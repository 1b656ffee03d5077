// The developer's loop: the server with the interface served from its sources, with hot reload.
import path from "node:path";
import { startServer } from "@kinetocache/server";
import { createServer } from "vite";

const server = await startServer({
  data: path.resolve(".data/dev"),
  port: Number(process.env.PORT ?? 7340),
  pages: async (http) => {
    const vite = await createServer({
      configFile: "packages/web/vite.config.ts",
      server: { middlewareMode: true, hmr: { server: http } },
    });
    // Hot reload puts a script into the page, which the policy of the built application forbids.
    return [(_request, response, next) => (response.removeHeader("Content-Security-Policy"), next()), vite.middlewares];
  },
});
console.log(`Kinetocache, from its sources, is at ${server.address}`);
