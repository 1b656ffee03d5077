// Builds what needs building and starts the application with the demo compositions.
import { spawn, spawnSync } from "node:child_process";
import { build, installPackages } from "./prepare.mjs";

installPackages();
build();
spawnSync(process.execPath, ["--import", "tsx", "scripts/demoCaches.ts", "--if-missing"], { stdio: "inherit" });
const server = spawn(
  process.execPath,
  ["packages/server/dist/main.js", "--demo", "--data", ".data/demo", ...process.argv.slice(2)],
  { stdio: "inherit" },
);
for (const signal of ["SIGINT", "SIGTERM"]) process.on(signal, () => server.kill(signal));
server.on("exit", (code) => process.exit(code ?? 1));
