// Everything that must hold, in one run: format, lint, types, dead code, unit tests, interface tests.
import { spawnSync } from "node:child_process";
import { mkdirSync, readFileSync, rmSync } from "node:fs";
import { build, installChromium, installFfmpeg, installPackages } from "./prepare.mjs";

installPackages();
installChromium();
installFfmpeg();
build();

let passed = 0;
let failed = 0;

function count(name, good, bad) {
  passed += good;
  failed += bad;
  console.log(`${name}: ${good} passed, ${bad} failed\n`);
}

/** A check that either holds or does not. */
function check(name, command, args) {
  console.log(`— ${name}`);
  const { status } = spawnSync("npx", [command, ...args], { stdio: "inherit" });
  count(name, status === 0 ? 1 : 0, status === 0 ? 0 : 1);
}

/** A test run that writes how many tests passed. A run that reports nothing, or ends badly, has failed. */
function tests(name, command, args, report, read) {
  console.log(`— ${name}`);
  rmSync(report, { force: true });
  const { status } = spawnSync("npx", [command, ...args], { stdio: "inherit" });
  let good = 0;
  let bad = 0;
  try {
    [good, bad] = read(JSON.parse(readFileSync(report, "utf8")));
  } catch (error) {
    console.error(`${name} left no report: ${error.message}`);
  }
  const silent = bad === 0 && (status !== 0 || good === 0);
  count(name, good, silent ? 1 : bad);
}

mkdirSync("test-results", { recursive: true });
check("format", "prettier", ["--check", "--log-level", "warn", "."]);
check("lint", "eslint", ["."]);
for (const project of [
  "packages/kernels",
  "packages/core",
  "packages/server",
  "packages/web",
  "packages/web/tsconfig.worker.json",
  ".",
]) {
  check(`types of ${project}`, "tsc", ["-p", project]);
}
check("dead code", "knip", []);
tests("unit tests", "jest", ["--json", "--outputFile=test-results/unit.json"], "test-results/unit.json", (report) => [
  report.numPassedTests,
  report.numFailedTests + report.numRuntimeErrorTestSuites,
]);
// Playwright clears its folder at the start, so the unit report is read before.
tests("interface tests", "playwright", ["test"], "test-results/e2e.json", ({ stats }) => [
  stats.expected + stats.flaky,
  stats.unexpected,
]);

console.log(`${passed} passed, ${failed} failed`);
process.exit(failed === 0 ? 0 : 1);
