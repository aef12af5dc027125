// Builds a module of the pages with what it needs, and gives what it exports.
import { tmpdir } from "node:os";
import { mkdtempSync, rmSync } from "node:fs";
import { join } from "node:path";
import { pathToFileURL } from "node:url";

export async function built(web, entry) {
  const { build } = await import(pathToFileURL(join(web, "node_modules/vite/dist/node/index.js")));
  const out = mkdtempSync(join(tmpdir(), "pages-"));
  await build({
    root: web, configFile: false, logLevel: "error",
    build: { outDir: out, lib: { entry, formats: ["es"], fileName: "built" }, minify: false },
  });
  const module = await import(pathToFileURL(join(out, "built.js")));
  rmSync(out, { recursive: true });
  return module;
}
