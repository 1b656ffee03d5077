// Everything that must hold, in one run: format, lint, types, dead code, unit tests, interface tests.
import { spawn, spawnSync } from "node:child_process";
import { mkdirSync, readFileSync, rmSync } from "node:fs";
import { availableParallelism } from "node:os";
import { build, installChromium, installFfmpeg, installPackages } from "./prepare.mjs";

installPackages();
installChromium();
installFfmpeg();
build();

let passed = 0;
let failed = 0;
let skipped = 0;

/** @param left tests that need what this machine or its user does not have, such as the right to mount */
function count(name, good, bad, left = 0) {
  passed += good;
  failed += bad;
  skipped += left;
  console.log(`${name}: ${good} passed, ${bad} failed${left > 0 ? `, ${left} skipped` : ""}\n`);
}

/** Checks that either hold or do not, as many at once as there are cores; each says what it has to say when it ends. */
async function check(checks) {
  const waiting = [...checks];
  const work = async () => {
    for (let next = waiting.shift(); next; next = waiting.shift()) {
      const [name, command, args] = next;
      const { status, said } = await run(command, args);
      console.log(`— ${name}\n${said}`);
      count(name, status === 0 ? 1 : 0, status === 0 ? 0 : 1);
    }
  };
  await Promise.all(Array.from({ length: availableParallelism() }, work));
}

function run(command, args) {
  return new Promise((resolve, reject) => {
    const child = spawn("npx", [command, ...args], { stdio: ["ignore", "pipe", "pipe"] });
    let said = "";
    for (const stream of [child.stdout, child.stderr]) stream.on("data", (text) => (said += text));
    child.once("error", reject);
    child.once("close", (status) => resolve({ status, said }));
  });
}

/** A test run that writes how many tests passed, failed and were skipped. A run that reports nothing, or ends badly, has failed. */
function tests(name, command, args, report, read) {
  console.log(`— ${name}`);
  rmSync(report, { force: true });
  const { status } = spawnSync("npx", [command, ...args], { stdio: "inherit" });
  let good = 0;
  let bad = 0;
  let left = 0;
  try {
    [good, bad, left] = read(JSON.parse(readFileSync(report, "utf8")));
  } catch (error) {
    console.error(`${name} left no report: ${error.message}`);
  }
  const silent = bad === 0 && (status !== 0 || good === 0);
  count(name, good, silent ? 1 : bad, left);
}

mkdirSync("test-results", { recursive: true });
const projects = ["packages/kernels", "packages/core", "packages/server", "packages/web"];
await check([
  ["lint", "eslint", ["."]],
  ...[...projects, "packages/web/tsconfig.worker.json", "."].map((one) => [`types of ${one}`, "tsc", ["-p", one]]),
  ["dead code", "knip", []],
  ["format", "prettier", ["--check", "--log-level", "warn", "."]],
]);
tests("unit tests", "jest", ["--json", "--outputFile=test-results/unit.json"], "test-results/unit.json", (report) => [
  report.numPassedTests,
  report.numFailedTests + report.numRuntimeErrorTestSuites,
  report.numPendingTests + report.numTodoTests,
]);
// Playwright clears its folder at the start, so the unit report is read before.
tests("interface tests", "playwright", ["test"], "test-results/e2e.json", ({ stats }) => [
  stats.expected + stats.flaky,
  stats.unexpected,
  stats.skipped,
]);

console.log(`${passed} passed, ${failed} failed, ${skipped} skipped`);
process.exit(failed === 0 ? 0 : 1);
