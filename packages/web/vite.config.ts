import { fileURLToPath } from "node:url";
import react from "@vitejs/plugin-react";
import { defineConfig, type Plugin } from "vite";

const LEGEND_RULE = "legend+*{clear:left}";

/**
 * Leaves out the framework's rule for what comes after a legend, which is used nowhere. Since it is for any element, each
 * change of an element's style has all that is inside the next one styled anew: a scrolled list of lines three times over.
 */
const withoutLegendRule: Plugin = {
  name: "without-legend-rule",
  enforce: "pre",
  transform(code, id) {
    if (!id.endsWith("bootstrap.min.css")) return undefined;
    if (!code.includes(LEGEND_RULE)) throw new Error(`${id} has no rule ${LEGEND_RULE} any more`);
    return { code: code.replace(LEGEND_RULE, ""), map: null };
  },
};

export default defineConfig({
  root: fileURLToPath(new URL(".", import.meta.url)),
  plugins: [react(), withoutLegendRule],
  worker: { format: "es" },
  build: { target: "es2023", chunkSizeWarningLimit: 1200 },
  // Workers load Wasm that must not be rewritten before it is served.
  optimizeDeps: { exclude: ["@resvg/resvg-wasm"] },
});
