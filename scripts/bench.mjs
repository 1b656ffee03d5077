// Prepares as the tests do, then measures and prints one JSON object; all else goes to standard error.
import { spawnSync } from "node:child_process";
import { build, installChromium, installPackages, installPictureTools } from "./prepare.mjs";

const log = console.log;
console.log = console.error;
installPackages();
installChromium();
installPictureTools();
build();
console.log = log;
const { status } = spawnSync(process.execPath, ["--import", "tsx", "bench/main.ts", ...process.argv.slice(2)], {
  stdio: "inherit",
});
process.exit(status ?? 1);
