import { readdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { brotliCompressSync, constants, gzipSync } from "node:zlib";
import type { Plugin } from "vite";

const WORTH = /\.(js|css|svg)$/;
const LEAST = 1024;

/** Lays a brotli and a gzip file beside each built one that is worth it, for the server to send by
 *  Accept-Encoding (`saltpath/server/compression.py`). */
export function compressed(): Plugin {
  return {
    name: "compressed",
    apply: "build",
    writeBundle({ dir }) {
      const folder = dir as string;
      for (const name of readdirSync(folder, { recursive: true, encoding: "utf-8" })) {
        if (!WORTH.test(name)) continue;
        const octets = readFileSync(join(folder, name));
        if (octets.length < LEAST) continue;
        const params = { [constants.BROTLI_PARAM_SIZE_HINT]: octets.length };
        writeFileSync(join(folder, `${name}.br`), brotliCompressSync(octets, { params }));
        writeFileSync(join(folder, `${name}.gz`), gzipSync(octets, { level: 9 }));
      }
    },
  };
}
