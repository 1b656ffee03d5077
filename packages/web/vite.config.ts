import { fileURLToPath } from "node:url";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

export default defineConfig({
  root: fileURLToPath(new URL(".", import.meta.url)),
  plugins: [react()],
  worker: { format: "es" },
  build: { target: "es2023", chunkSizeWarningLimit: 1200 },
  // Workers load Wasm that must not be rewritten before it is served.
  optimizeDeps: { exclude: ["@resvg/resvg-wasm"] },
});
