// Values behind names in lines, [value, line, the line as a part of a body] as JSON from standard input: what the page reads of each line, and the line that it writes.
import { text } from "node:stream/consumers";
import { fileURLToPath } from "node:url";
import { built } from "./built.mjs";

const { pairs } = await built(process.env.WEB, fileURLToPath(new URL("pointing.ts", import.meta.url)));
const asked = JSON.parse(await text(process.stdin));
process.stdout.write(JSON.stringify(asked.map(([value, line, part]) => [pairs.pairsOf(line, "="), pairs.inALine(value), pairs.partsOf(part)])));
