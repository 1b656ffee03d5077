import { homedir } from "node:os";
import path from "node:path";
import { fileURLToPath } from "node:url";
import { parseArgs } from "node:util";
import { startServer } from "./index";
import { builtPages } from "./pages";

const { values } = parseArgs({
  options: {
    data: { type: "string" },
    port: { type: "string", default: "7340" },
    demo: { type: "boolean", default: false },
    web: { type: "string", default: fileURLToPath(new URL("../../web/dist", import.meta.url)) },
  },
});

const cacheFolder = process.env.XDG_CACHE_HOME ?? path.join(homedir(), ".cache");
const server = await startServer({
  data: path.resolve(values.data ?? path.join(cacheFolder, "kinetocache")),
  port: Number(values.port),
  demo: values.demo,
  pages: () => Promise.resolve(builtPages(path.resolve(values.web))),
});
console.log(`Kinetocache is at ${server.address}`);

const stop = () => void server.close().then(() => process.exit(0));
process.on("SIGINT", stop);
process.on("SIGTERM", stop);
