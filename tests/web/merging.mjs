// Builds the pages' merging as one module, and holds it to what a merge must keep, over seeded random edits of two people.
import { built } from "./built.mjs";

const rounds = Number(process.argv[3]);
const { merged, takeMine, same } = await built(process.argv[2], "src/case/merge.ts");

let seed = 7;
const random = (below) => {
  seed = (seed * 1103515245 + 12345) % 2147483648;
  return Math.floor((seed / 2147483648) * below);
};
const copy = (value) => JSON.parse(JSON.stringify(value));
let names = 0;
const check = () => ({ of: `$.field${++names}`, is: random(9) });
const step = () => ({ request: `step ${++names}`, key: `k${names}`, send: `GET /${names}`, expect: [check(), check(), check()] });

// Each edit returns what must be in the merge, or in a clash, as text.
const EDITS = [
  (d) => { const s = step(); d.steps.splice(random(d.steps.length + 1), 0, s); return s.key; },
  (d) => { const s = one(d); s.send = `POST /${++names}`; return s.send; },
  (d) => { const s = one(d); const c = check(); s.expect.splice(random(s.expect.length + 1), 0, c); return c.of; },
  (d) => { const s = one(d); const c = check(); if (s.expect.length) s.expect[random(s.expect.length)] = c; else s.expect.push(c); return c.of; },
  (d) => { const s = one(d); s.keep = { ...s.keep, [`name${++names}`]: "$.id" }; return `name${names}`; },
  (d) => { d.steps.push(d.steps.splice(random(d.steps.length), 1)[0]); return ""; },
  (d) => { const s = one(d); if (s.expect.length) s.expect.splice(random(s.expect.length), 1); return ""; },
  (d) => { if (d.steps.length > 2) d.steps.splice(random(d.steps.length), 1); return ""; },
  (d) => { d.case = `case ${++names}`; return d.case; },
];
const one = (d) => d.steps[random(d.steps.length)];
const edit = (base) => {
  const document = copy(base);
  const wanted = [];
  for (let n = random(3) + 1; n > 0; n--) wanted.push(EDITS[random(EDITS.length)](document));
  // What was put in and then taken out again by the same person is not wanted any longer.
  return { document, wanted: wanted.filter((text) => text && JSON.stringify(document).includes(`"${text}"`)) };
};
const must = (holds, what, ...shown) => {
  if (holds) return;
  console.error(what, ...shown.map((value) => JSON.stringify(value, null, 1)));
  process.exit(1);
};

let clashing = 0;
for (let round = 0; round < rounds; round++) {
  const base = { case: "begun", steps: [step(), step(), step(), step()] };
  const mine = edit(base);
  const theirs = edit(base);
  must(same(merged(base, mine.document, base).document, mine.document), "alone: mine", mine.document);
  must(same(merged(base, base, theirs.document).document, theirs.document), "alone: theirs", theirs.document);
  must(same(merged(base, mine.document, mine.document).document, mine.document), "both the same", mine.document);
  const found = merged(base, mine.document, theirs.document);
  const text = JSON.stringify(found.document);
  const offered = JSON.stringify(found.clashes);
  for (const wanted of theirs.wanted) must(text.includes(`"${wanted}"`), `theirs is lost: ${wanted}`, base, mine, theirs, found);
  for (const wanted of mine.wanted)
    must(text.includes(`"${wanted}"`) || offered.includes(`"${wanted}"`), `mine is lost: ${wanted}`, base, mine, theirs, found);
  const keys = found.document.steps.map((item) => item.key);
  must(new Set(keys).size === keys.length, "a step stands twice", found);
  const taken = found.clashes.reduce((document, clash) => takeMine(clash, document), found.document);
  for (const wanted of mine.wanted)
    must(JSON.stringify(taken).includes(`"${wanted}"`), `mine was taken and is not there: ${wanted}`, base, mine, theirs, found, taken);
  clashing += found.clashes.length > 0;
}
console.log(`${rounds} rounds, ${clashing} with a clash`);
