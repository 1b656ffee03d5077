import boundaries from "eslint-plugin-boundaries";
import hooks from "eslint-plugin-react-hooks";
import tseslint from "typescript-eslint";

// Packages, and the layers of core from the bottom up: imports only go down.
const CORE_LAYERS = [
  "drawing",
  "composition",
  "graph",
  "formats",
  "render",
  "machine",
  "media",
  "cache",
  "playback",
  "waste",
  "bake",
  "storage",
  "sweep",
];
const elements = [
  { type: "kernels", pattern: "packages/kernels" },
  ...CORE_LAYERS.map((layer) => ({ type: layer, pattern: `packages/core/src/${layer}` })),
  { type: "core-index", pattern: "packages/core/src/index.ts", mode: "file" },
  { type: "engine", pattern: "packages/web/src/engine" },
  { type: "data", pattern: "packages/web/src/data" },
  { type: "parts", pattern: "packages/web/src/parts" },
  { type: "screens", pattern: "packages/web/src/screens" },
  { type: "app", pattern: "packages/web/src/*.tsx", mode: "file" },
  { type: "server", pattern: "packages/server/src" },
  { type: "demo", pattern: "demo" },
];

const USE_FOLDER =
  "Use Folder or Place of packages/server/src/files: a path may lead elsewhere by the time it is used.";
const only = (from, ...allow) => ({ from: [from], allow: [from, ...allow] });

export default tseslint.config(
  {
    ignores: [
      "**/dist/**",
      "**/build/**",
      "**/node_modules/**",
      "packages/kernels/assembly/**",
      "test-results/**",
      "playwright-report/**",
    ],
  },
  ...tseslint.configs.recommended,
  {
    files: ["packages/*/src/**/*.{ts,tsx}"],
    ignores: ["**/*.test.ts"],
    plugins: { boundaries },
    settings: {
      "boundaries/elements": elements,
      "boundaries/include": ["packages/**/*", "demo/**/*"],
      "import/resolver": { typescript: { project: ["packages/*/tsconfig.json"] } },
    },
    rules: {
      "boundaries/element-types": [
        "error",
        {
          default: "disallow",
          rules: [
            only("kernels"),
            ...CORE_LAYERS.map((layer, index) => only(layer, "kernels", ...CORE_LAYERS.slice(0, index))),
            { from: ["core-index"], allow: CORE_LAYERS },
            only("server", "core-index"),
            only("engine", "core-index", "kernels"),
            only("data", "core-index", "engine", "demo"),
            only("parts", "core-index", "data", "engine"),
            only("screens", "core-index", "data", "engine", "parts"),
            only("app", "data", "parts", "screens"),
          ],
        },
      ],
    },
  },
  {
    // Below a folder of the user's everything goes through `Folder`, which is held open: no path leads elsewhere then.
    files: ["packages/server/src/{media,sweep,volumes,sequences}/**/*.ts", "packages/server/src/drives/driveTest.ts"],
    ignores: ["**/*.test.ts"],
    rules: {
      "no-restricted-imports": [
        "error",
        {
          paths: [
            { name: "node:fs", allowImportNames: ["constants", "FSWatcher", "Stats", "watch"], message: USE_FOLDER },
            {
              name: "node:fs/promises",
              allowImportNames: ["access", "constants", "FileHandle", "realpath"],
              message: USE_FOLDER,
            },
          ],
        },
      ],
      "no-restricted-properties": ["error", { object: "process", property: "chdir", message: USE_FOLDER }],
    },
  },
  {
    // The scanner changes into each folder and makes sure that it is the one that was listed.
    files: ["packages/server/src/sweep/scan.ts"],
    rules: { "no-restricted-imports": "off", "no-restricted-properties": "off" },
  },
  {
    files: ["packages/web/src/**/*.{ts,tsx}"],
    plugins: { "react-hooks": hooks },
    rules: { "react-hooks/rules-of-hooks": "error", "react-hooks/exhaustive-deps": "error" },
  },
  {
    rules: {
      "@typescript-eslint/no-explicit-any": "error",
      "@typescript-eslint/no-non-null-assertion": "off",
      "@typescript-eslint/no-unused-vars": ["error", { argsIgnorePattern: "^_", varsIgnorePattern: "^_" }],
      "max-depth": ["error", 4],
      "no-console": ["error", { allow: ["log", "warn", "error"] }],
    },
  },
);
