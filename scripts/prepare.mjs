import { spawnSync } from "node:child_process";
import { existsSync, readdirSync, statSync } from "node:fs";
import path from "node:path";

/** Runs a command with its output on standard error. @throws Error when it fails */
export function run(command, args, options = {}) {
  const { status, error } = spawnSync(command, args, { stdio: ["ignore", 2, 2], ...options });
  if (error) throw error;
  if (status !== 0) throw new Error(`${command} ${args.join(" ")} ended with ${status}`);
}

function newest(folder) {
  let latest = 0;
  for (const entry of readdirSync(folder, { withFileTypes: true })) {
    if (["node_modules", "dist", "build"].includes(entry.name)) continue;
    const full = path.join(folder, entry.name);
    latest = Math.max(latest, entry.isDirectory() ? newest(full) : statSync(full).mtimeMs);
  }
  return latest;
}

/** Installs the npm packages where they are missing or older than the lock file. */
export function installPackages() {
  const installed = "node_modules/.package-lock.json";
  if (existsSync(installed) && statSync(installed).mtimeMs >= statSync("package-lock.json").mtimeMs) return;
  console.log("Installing npm packages …");
  run("npm", ["ci", "--no-audit", "--no-fund"]);
}

/** Builds kernels, server and interface where a source is newer than what was built. */
export function build() {
  const built = "packages/web/dist/index.html";
  const sources = Math.max(...["packages", "demo"].map(newest), statSync("package-lock.json").mtimeMs);
  const others = ["packages/kernels/build/kernels.wasm", "packages/server/dist/main.js"];
  if ([built, ...others].every(existsSync) && statSync(built).mtimeMs >= sources) return;
  console.log("Building …");
  run("npm", ["run", "build", "--silent"]);
}

/** Installs a package of Debian's through apt where what it brings is missing and that is possible. */
function installDebian(program, name, missing) {
  if (existsSync(program)) return;
  if (process.getuid?.() !== 0 || !existsSync("/usr/bin/apt-get")) throw new Error(missing);
  console.log(`Installing ${name} …`);
  const env = { ...process.env, DEBIAN_FRONTEND: "noninteractive" };
  run("apt-get", ["update", "-q"], { env });
  run("apt-get", ["install", "-q", "-y", "--no-install-recommends", name], { env });
}

/** The browser of the interface tests and the benchmark. */
export function installChromium() {
  const chromium = process.env.CHROMIUM ?? "/usr/bin/chromium";
  const missing = `The interface tests need ${chromium}: install the package chromium, or name another with CHROMIUM=…`;
  installDebian(chromium, "chromium", missing);
}

/** The tool that reads and writes picture files beside this code. */
export function installFfmpeg() {
  installDebian("/usr/bin/ffmpeg", "ffmpeg", "The tests of file formats need ffmpeg: install the package ffmpeg");
}

/** Other tools that write pictures, for the benchmark of what is read of theirs. */
export function installPictureTools() {
  installFfmpeg();
  const missing = "The benchmark needs ImageMagick with OpenEXR, netpbm and OpenEXR's tools";
  installDebian("/usr/bin/pamtopng", "netpbm", missing);
  installDebian("/usr/bin/exrmaketiled", "openexr", missing);
  installDebian("/usr/bin/convert", "imagemagick", missing);
  installDebian("/usr/share/doc/libmagickcore-6.q16-6-extra", "libmagickcore-6.q16-6-extra", missing);
}
