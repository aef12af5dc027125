// Literals of steps put where a place fits: [step, literals] as JSON from standard input, the steps that come of it as JSON, null where
// no place fits a literal.
import { text } from "node:stream/consumers";
import { fileURLToPath } from "node:url";
import { built } from "./built.mjs";

const { handover } = await built(process.env.WEB, fileURLToPath(new URL("pointing.ts", import.meta.url)));

function handedOver(step, literal) {
  let [now] = [step];
  for (let round = 0; round < 50; round++) {
    const place = handover.placesIn(now, literal).find((one) => one.fits);
    if (!place) return round ? now : null;
    [now] = place.change("[=v]")({ steps: [now] }).steps;
  }
  return now;
}

const asked = JSON.parse(await text(process.stdin));
process.stdout.write(JSON.stringify(asked.map(([step, literals]) => literals.map((literal) => handedOver(step, literal)))));
