import { build } from "vite";

/** Builds the server before the tests, which start its processes and threads as they are built. */
export default () => build({ configFile: "packages/server/vite.config.ts", logLevel: "error" });
