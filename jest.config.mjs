/** @type {import("jest").Config} */
export default {
  // Only what hangs shall fail: machines that do other things beside are slow at times.
  testTimeout: 300_000,
  // By itself it leaves one core idle, which on two is half of them.
  maxWorkers: "100%",
  testMatch: ["<rootDir>/packages/**/*.test.ts", "<rootDir>/scripts/**/*.test.ts"],
  transform: {
    "\\.m?[jt]sx?$": [
      "@swc/jest",
      { jsc: { parser: { syntax: "typescript", tsx: true }, target: "es2022" }, module: { type: "commonjs" } },
    ],
  },
  // Some packages ship as modules only.
  transformIgnorePatterns: [
    "/node_modules/(?!(@noble|@scure|fast-png|iobuffer|@resvg|birpc|p-queue|p-timeout|eventemitter3)/)",
  ],
  globalSetup: "<rootDir>/testing/buildServer.mjs",
  moduleNameMapper: {
    "/entries$": "<rootDir>/testing/builtEntries.ts",
    "^@resvg/resvg-wasm$": "<rootDir>/node_modules/@resvg/resvg-wasm/index.js",
  },
};
