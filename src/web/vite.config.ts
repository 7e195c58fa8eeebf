import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

export default defineConfig({
  plugins: [react()],
  build: {
    outDir: "../../.build/app/wwwroot",
    emptyOutDir: true,
    chunkSizeWarningLimit: 900,
    assetsInlineLimit: 0,
  },
  server: { proxy: { "/api": "http://127.0.0.1:5190", "/hub": { target: "http://127.0.0.1:5190", ws: true } } },
});
