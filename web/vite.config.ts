import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";
import { compressed } from "./compressed.ts";

// The built pages go into the Python package, so that the wheel carries them.
export default defineConfig({
  plugins: [react(), compressed()],
  build: {
    outDir: "../src/saltpath/server/pages",
    emptyOutDir: true,
    assetsInlineLimit: 0,
    target: "es2022",
    chunkSizeWarningLimit: 900,
  },
  worker: { format: "es" },
  server: { proxy: { "/api": "http://127.0.0.1:8420" } },
});
