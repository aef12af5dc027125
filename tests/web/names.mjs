// The names that are proposed for fields: read as JSON from standard input, written as JSON.
import { readFileSync } from "node:fs";
import { fileURLToPath } from "node:url";
import { built } from "./built.mjs";

const { naming, places, reserved } = await built(process.env.WEB, fileURLToPath(new URL("pointing.ts", import.meta.url)));
const fields = JSON.parse(readFileSync(0, "utf-8"));
const taken = [];
const names = fields.map((field) => {
  const name = naming.proposeName(places.fieldOf("$", field), "GET [=harbour]/vessels", taken);
  taken.push(name);
  return name;
});
process.stdout.write(JSON.stringify({ names, reserved: [...reserved.RESERVED] }));
