import react from "@vitejs/plugin-react";
import { readdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { brotliCompressSync, constants } from "node:zlib";
import { defineConfig } from "vite";
import type { Plugin } from "vite";

const outDir = "../../.build/app/wwwroot";

/** Packs scripts and styles once, as they are served. */
const packed = (): Plugin => ({
  name: "packed",
  apply: "build",
  closeBundle() {
    const folder = join(import.meta.dirname, outDir, "assets");
    for (const name of readdirSync(folder)) {
      if (!/\.(js|css)$/.test(name)) continue;
      const params = { [constants.BROTLI_PARAM_QUALITY]: constants.BROTLI_MAX_QUALITY };
      writeFileSync(join(folder, `${name}.br`), brotliCompressSync(readFileSync(join(folder, name)), { params }));
    }
  },
});

export default defineConfig({
  plugins: [react(), packed()],
  css: { modules: { localsConvention: "camelCase" } },
  build: {
    outDir,
    emptyOutDir: true,
    assetsInlineLimit: 0,
  },
  server: { proxy: { "/api": "http://127.0.0.1:5190", "/hub": { target: "http://127.0.0.1:5190", ws: true } } },
});
