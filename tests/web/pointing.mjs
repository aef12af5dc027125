// What pointing makes, without a browser: node's own test runner over the pages' pure parts.
import assert from "node:assert/strict";
import { test } from "node:test";
import { fileURLToPath } from "node:url";
import { built } from "./built.mjs";

const web = process.env.WEB;
const { accepted, answered, body, book, columns, compared, copied, document, fields, files, format, grid, handover, indexer, inserting, making, mapping, naming, pairs, pasting, paths, picked, places, recording, secrets, sheet, table, report, sent, shown, suites: standing, tree, threads, values, written } =
  await built(web, fileURLToPath(new URL("pointing.ts", import.meta.url)));

let seed = 11;
const random = (below) => {
  seed = (seed * 1103515245 + 12345) % 2147483648;
  return seed % below;
};

/** The node of an answer at a path, as pointing at it gives it. */
function node(answer, path) {
  const index = indexer.indexJson(new TextEncoder().encode(typeof answer === "string" ? answer : JSON.stringify(answer)));
  for (let at = 0; at < index.count; at++) {
    const found = picked.pickedOf(index, at);
    if (found.path === path) return found;
  }
  throw new Error(`no node at ${path}`);
}

const BERTH = {
  id: "E4", name: "East 4", metres: 120, depth: 8.5, free: true, note: null, tags: [],
  lines: [{ code: "QUAY", amount: 299.52 }, { code: "TON", amount: 32.4 }],
};

test("a place is written as the server writes it, and read again", () => {
  assert.equal(places.fieldOf("$", "fee"), "$.fee");
  assert.equal(places.fieldOf("$", "größe"), "$.größe");
  assert.equal(places.fieldOf("$.a", "net price"), "$.a['net price']");
  assert.equal(places.fieldOf("$", "it's"), "$['it\\'s']");
  const letters = ["a", "Z", "_", "9", " ", "'", '"', "\\", "]", "[", ".", "ß", "\n", "\t", "\u0001", "?", "船"];
  for (let round = 0; round < 3000; round++) {
    const name = Array.from({ length: 1 + random(5) }, () => letters[random(letters.length)]).join("");
    if (/^\d+$/.test(name)) continue;
    assert.deepEqual(places.namesOf(`${places.fieldOf("$.a[2]", name)}.z`), ["a", "2", name, "z"], JSON.stringify(name));
  }
  assert.deepEqual(places.fieldsOn("$.items[?@.name == 'East 4'].lines[3].code"), ["items", "lines", "code"]);
});

test("one node becomes a check of each kind", () => {
  const at = (path) => node(BERTH, path);
  assert.deepEqual(making.asItIs(at("$.metres")), { of: "$.metres", is: 120 });
  assert.deepEqual(making.asItIs(at("$.note")), { of: "$.note", is: null });
  assert.deepEqual(making.asItIs(at("$.lines")), { of: "$.lines", count: 2 });
  assert.deepEqual(making.asItIs(at("$")), { of: "$", present: true });
  assert.deepEqual(making.anyOfKind(at("$.depth")), { of: "$.depth", kind: "number" });
  assert.deepEqual(making.isThere(at("$.note"), "$.note"), { of: "$.note", present: true });
  assert.equal(making.asItIs(node({ key: "a●●●" }, "$.key")), undefined, "what is masked is never expected");
  assert.equal(JSON.stringify(making.asItIs(node('{"fee": 1318.40}', "$.fee"))), '{"of":"$.fee","is":1318.40}');
});

test("one of what was seen, where it is few and plain", () => {
  const place = { path: "$.state", kinds: ["text"], values: ['"free"', '"taken"'], distinct: 2, present: 9, loose: null };
  assert.deepEqual(making.oneOfSeen(place, "$.state"), { of: "$.state", "is one of": ["free", "taken"] });
  assert.equal(making.oneOfSeen({ ...place, distinct: 1 }, "$.state"), undefined);
  assert.equal(making.oneOfSeen({ ...place, distinct: 40 }, "$.state"), undefined);
  assert.equal(making.oneOfSeen({ ...place, kinds: ["object"] }, "$.state"), undefined);
  assert.equal(making.oneOfSeen(undefined, "$.state"), undefined);
});

const varied = (path, sentence) =>
  new Map([[path, { path, kinds: ["text"], values: [], distinct: 5, present: 5, loose: { code: "varied", sentence } }]]);

test("everything below is expected, and what varied stays loose with its reason", () => {
  const { checks, loosened } = making.everything(node(BERTH, "$").below(), varied("$.id", "5 values in 5 answers"));
  const of = Object.fromEntries(checks.map((check) => [check.of, check]));
  assert.deepEqual(of["$.id"], { of: "$.id", kind: "text", note: "5 values in 5 answers" });
  assert.deepEqual(of["$.lines[1].amount"], { of: "$.lines[1].amount", is: 32.4 });
  assert.deepEqual(of["$.tags"], { of: "$.tags", count: 0 });
  assert.deepEqual(loosened, [{ path: "$.id", why: "5 values in 5 answers" }]);
});

test("a list whose length varied is expected item by item in its kinds", () => {
  const { checks, loosened } = making.everything(node(BERTH, "$.lines").below(), varied("$.lines", "2 to 4 items"));
  assert.deepEqual(checks.map((check) => check.of), ["$.lines[*].code", "$.lines[*].amount"]);
  assert.equal(loosened[0].why, "the list’s length: 2 to 4 items");
  const made = making.asBody(node(BERTH, "$"), "$", varied("$.lines", "2 to 4 items"));
  assert.deepEqual(made.check.fits.lines, ["[?every]", { code: "[?text]", amount: "[?number]" }]);
  assert.equal(made.check.fits.name, "East 4");
});

test("an expected body reads as lines, each with its place and what is expected there", () => {
  const expected = {
    items: ["[?every]", { id: "[?matches ^E]", "state?": "[?one of free, taken]" }],
    tags: ["[?any order]", "a", "b"], log: [1, "[?more]"], "odd??": 1, total: "[?integer]", name: "East 4", fee: 7.5,
  };
  const lines = Object.fromEntries(body.linesOf(expected, "$.page").map((line) => [line.path ?? line.name, line]));
  assert.equal(lines["$.page"].text, "7 fields");
  assert.equal(lines["$.page.items"].text, "a list of any length");
  assert.equal(lines["$.page.items[*].id"].text, "matches ^E");
  assert.equal(lines["$.page.items[*].state"].optional, true);
  assert.equal(lines["$.page.tags"].text, "2 items in any order");
  assert.equal(lines["$.page.log"].text, "1 item, and maybe more");
  assert.equal(lines["$.page['odd?']"].optional, false);
  assert.equal(lines["$.page.total"].text, "any integer");
  assert.equal(lines["$.page.name"].text, '"East 4"');
  assert.equal(lines["$.page.fee"].loose, false);
  assert.equal(lines[1].path, undefined, "an item in any order has no place of its own");
});

test("a place of an expected body is loosened, tightened and taken out, and nothing else changes", () => {
  const expected = { a: [{ x: 1, y: "[?text]" }, 2], b: null };
  const before = JSON.stringify(expected);
  assert.deepEqual(body.put(expected, ["a", 0, "x"], "[?number]"), { a: [{ x: "[?number]", y: "[?text]" }, 2], b: null });
  assert.deepEqual(body.put(expected, ["a", 1], undefined), { a: [{ x: 1, y: "[?text]" }], b: null });
  assert.deepEqual(body.put(expected, ["b"], undefined), { a: expected.a });
  assert.equal(body.put(expected, [], undefined), undefined);
  assert.deepEqual(body.putOptional(expected, ["a", 0, "y"], true), { a: [{ x: 1, "y?": "[?text]" }, 2], b: null });
  assert.deepEqual(body.putOptional({ "y?": 1 }, ["y?"], false), { y: 1 });
  assert.deepEqual(body.putOptional({ "y??": 1 }, ["y??"], true), { "y??": 1 }, "a field named y? stays one");
  assert.equal(JSON.stringify(expected), before);
});

test("a list is expected in order, in any order, each like the first, with more", () => {
  const list = { a: [1, 2] };
  const any = body.putManner(list, ["a"], "in any order");
  assert.deepEqual(any, { a: ["[?any order]", 1, 2] });
  assert.deepEqual(body.putManner(any, ["a"], "in order"), list);
  assert.deepEqual(body.putManner(list, ["a"], "more may follow"), { a: [1, 2, "[?more]"] });
  assert.deepEqual(body.putManner(body.putManner(any, ["a"], "more may follow"), ["a"], "in order"), { a: [1, 2, "[?more]"] });
  assert.deepEqual(body.putManner(list, ["a"], "each like the first"), { a: ["[?every]", 1] });
  assert.deepEqual(body.otherManners(list, ["a"]), ["in any order", "each like the first", "more may follow"]);
  assert.deepEqual(body.otherManners({ a: ["[?every]", 1] }, ["a"]), ["in order"]);
  assert.deepEqual(body.otherManners({ a: [] }, ["a"]), ["more may follow"]);
});

test("an answer's own text is never read as something else", () => {
  assert.equal(body.literally("[=x] and [='y']"), "[='[=']x] and [='[=']'y']");
  assert.equal(body.literally("[?]"), "[?text]");
  assert.deepEqual(body.literally({ "why?": ["[=a]"] }), { "why??": ["[='[=']a]"] });
  assert.equal(body.typedValue("12.50") === 12.5, false, "a number stays as it was typed");
  assert.deepEqual(["[?above 3]", '"12"', "East 4", "true"].map(body.typedValue), ["[?above 3]", "12", "East 4", true]);
});

const SENT = {
  address: "http://harbour/port-calls?page_size=20&Draft=false",
  sentBody: JSON.stringify({ vessel: "Marrow Finch", lengthMetres: 23.4, agent: { name: "Ida" }, ship: { name: "Marrow Finch" }, token: "●●●", "net price": 5 }),
};

test("what was sent is expected by its name, and of several by its value", () => {
  const known = sent.sentPlaces(SENT);
  assert.equal(known.some((place) => place.name === "token"), false, "what is masked is not asked for");
  const made = (answer, path) => sent.asSent(node(answer, path), path, known);
  assert.deepEqual(made({ vessel: "x" }, "$.vessel"), { of: "$.vessel", is: "[=sent $.vessel]" });
  assert.deepEqual(made({ length_metres: 1 }, "$.length_metres"), { of: "$.length_metres", is: "[=sent $.lengthMetres]" });
  assert.deepEqual(made({ name: "Marrow Finch" }, "$.name"), { of: "$.name", is: "[=sent $.ship.name]" });
  assert.deepEqual(made({ name: "Someone" }, "$.name"), { of: "$.name", is: "[=sent $.agent.name]" });
  assert.deepEqual(made({ pageSize: 20 }, "$.pageSize"), { of: "$.pageSize", is: "[=sent query page_size | number]" });
  assert.deepEqual(made({ "net price": 5 }, "$['net price']"), { of: "$['net price']", is: "[=sent \"$['net price']\"]" });
  assert.equal(made({ state: "free" }, "$.state"), undefined);
  assert.equal(made({ vessel: {} }, "$.vessel"), undefined);
  assert.deepEqual(sent.sentPlaces({ address: "http://harbour/", sentBody: "<no/>" }), []);
  assert.deepEqual(sent.sentPlaces(undefined), []);
});

test("what earlier requests sent is expected as it is written there, the nearest first", () => {
  const steps = [
    { key: "a", request: "A", send: "POST /a", json: { vessel: "[=row.vessel]", agent: "[=any name]", berth: { metres: 5 } } },
    { key: "b", request: "B", send: "POST /b?x=1", query: { nights: "[=row.nights]", quay: "7" }, json: '{"vessel": "MV [=name]", "length": [=length | round 1], "eta": [=now +2 days]}' },
    { key: "c", lookUp: {} },
    { key: "d", request: "D", send: "POST /d", json: { state: "later" } },
  ];
  const known = sent.sentBefore({ steps }, "c");
  assert.deepEqual(known.map((place) => place.name), ["vessel", "length", "nights", "quay", "vessel", "metres"], "what is made anew is left out");
  const made = (row, path) => sent.asSent(node([row], path), path, known)?.is;
  assert.equal(made({ vessel: "x" }, "$[0].vessel"), "MV [=name]");
  assert.equal(made({ length: 2.5 }, "$[0].length"), "[=length | round 1]");
  assert.equal(made({ nights: 3 }, "$[0].nights"), "[=row.nights | number]");
  assert.equal(made({ quay: 7 }, "$[0].quay"), 7);
  assert.equal(made({ quay: "7" }, "$[0].quay"), "7");
  assert.equal(made({ metres: 4 }, "$[0].metres"), 5);
  assert.equal(made({ state: "x" }, "$[0].state"), undefined);
  assert.deepEqual(sent.sentBefore({ steps }, "a"), []);
  assert.deepEqual(sent.sentBefore({ steps: [{ key: "a", request: "A", send: "POST /a", json: "{" }, steps[2]] }, "c"), []);
});

test("a kept value is named after what it is of", () => {
  const name = (path, send = "POST [=harbour]/port-calls", taken = []) => naming.proposeName(path, send, taken);
  assert.equal(name("$.id"), "portCallId");
  assert.equal(name("$.items[0].id", "GET /vessels?x=1"), "vesselId");
  assert.equal(name("$.fee.total"), "total");
  assert.equal(name("$.berth.name"), "berthName");
  assert.equal(name("$.fee.total", "GET /x", ["total", "total2"]), "total3");
  assert.equal(name("$.items[?@.name == 'East 4'].metres"), "metres");
  assert.equal(name("$.größe"), "größe");
  assert.equal(name("$['2nd mate']"), "ndMate");
  assert.equal(name("$['...']"), "value");
});

test("a value can go where it stands written out, and where there is room", () => {
  const step = {
    key: "s2", request: "Read it", send: "GET /vessels/V-7/{part}", query: { of: "V-7" }, headers: { Accept: "x" },
    form: { a: "b" }, json: { vessel: "V-7", n: 1 },
  };
  const found = handover.placesIn(step, "V-7");
  assert.deepEqual(found.filter((place) => place.fits).map((place) => place.place), [
    "in the address instead of V-7", "in the address at {part}", "in the parameter of", "in the body at $.vessel",
  ]);
  const put = (words) => found.find((place) => place.place.includes(words)).change("[=vesselId]")({ steps: [step] }).steps[0];
  assert.equal(put("instead of").send, "GET /vessels/[=vesselId]/{part}");
  assert.equal(put("{part}").send, "GET /vessels/V-7/[=vesselId]");
  assert.equal(put("at the end").send, "GET /vessels/V-7/{part}/[=vesselId]");
  assert.equal(put("the parameter").query.of, "[=vesselId]");
  assert.deepEqual(JSON.parse(put("$.vessel").json), { vessel: "[=vesselId]", n: 1 });
  assert.deepEqual(JSON.parse(put("$.n").json), { vessel: "V-7", n: "[=vesselId]" });
});

test("a value can begin a step of its own", () => {
  const from = { key: "s1", request: "List", send: "GET [=harbour]/vessels/?page=2", auth: { bearer: "[=token]" } };
  const place = handover.placeInNewStep(from, "vesselId");
  assert.equal(place.place, "GET harbour/vessels/vesselId");
  const { steps } = handover.handOver(from, "$.items[0].id", "vesselId", place)({ steps: [from, { key: "s3", wait: "1 s" }] });
  assert.deepEqual(steps.map((step) => step.key), ["s1", place.key, "s3"]);
  assert.deepEqual(steps[0].keep, { vesselId: "$.items[0].id" });
  assert.deepEqual(steps[1], { request: "Read a vessel", key: place.key, send: "GET [=harbour]/vessels/[=vesselId]", auth: from.auth });
});

const entry = (number, send, more = {}) => ({ number, leftOut: null, step: { request: `Entry ${number}`, send, ...more } });

test("a recording is a case, its values handed over", () => {
  const taken = {
    entries: [
      entry(1, "POST http://h:8/sessions", { expect: [{ of: "status", is: 201 }] }),
      entry(2, "POST http://h:8/calls", { auth: { bearer: "tok-123456" }, json: '{ "of": "V-7" }' }),
      { ...entry(3, "GET http://h:8/logo.png"), leftOut: { code: "x", sentence: "a file" } },
      entry(4, "GET http://h:8/calls/PC-77/PC-77", { query: { of: "PC-77" }, auth: { bearer: "tok-123456" } }),
      { number: 5, leftOut: null, step: null },
    ],
    handOvers: [
      { number: 2, literal: "tok-123456", sources: [{ number: 1, path: "$.token" }] },
      { number: 4, literal: "tok-123456", sources: [{ number: 1, path: "$.token" }] },
      { number: 4, literal: "PC-77", sources: [{ number: 3, path: "$.id" }, { number: 2, path: "$.call.id" }] },
    ],
  };
  const chosen = recording.proposed(taken);
  assert.deepEqual([...chosen], [1, 2, 4]);
  const offers = recording.offersAmong(taken, chosen);
  assert.deepEqual(offers, [
    { from: 1, path: "$.token", literal: "tok-123456", to: [2, 4] },
    { from: 2, path: "$.call.id", literal: "PC-77", to: [4] },
  ], "from the nearest chosen answer");
  const made = recording.caseOf("Morning", taken.entries, chosen, offers);
  assert.deepEqual(made.values, { address: "http://h:8" });
  const [signIn, call, read] = made.steps;
  assert.deepEqual(signIn.keep, { token: { of: "$.token", secret: true } });
  assert.deepEqual(signIn.expect, [{ of: "status", is: 201 }]);
  assert.deepEqual([call.auth.bearer, call.keep], ["[=token]", { callId: "$.call.id" }]);
  assert.deepEqual([read.send, read.query.of, read.auth.bearer], ["GET [=address]/calls/[=callId]/[=callId]", "[=callId]", "[=token]"]);
  assert.deepEqual(recording.offersAmong(taken, new Set([4])), [], "what is not chosen hands nothing over");
  const plain = recording.caseOf("x", taken.entries, chosen, []);
  assert.deepEqual([plain.steps[0].keep, plain.steps[2].query.of], [undefined, "PC-77"]);
  const apart = [entry(1, "GET http://a/x"), entry(2, "GET http://b/x")];
  assert.equal(recording.caseOf("x", apart, new Set([1, 2]), []).values, undefined);
});

test("a value is called by where it stands", () => {
  const names = [["header ETag", "etag"], ["header X-Berth-Version", "xBerthVersion"], ["cookie desk-proof", "deskProof"],
    ['header Location | split "/" | last', "portCallId"], ['body ~ name="csrf"[^>]*value="([^"]*)"', "csrf"], ["status", "status"], ["$.fee.total", "total"]];
  for (const [of, name] of names) assert.equal(naming.proposeName(of, "POST http://h/port-calls", []), name);
  assert.equal(naming.nameFor("PUT", "http://h/desk/harbour/berth-1.ics?x=1"), "Replace berth-1.ics");
});

test("a step comes of what is typed or pasted", () => {
  const step = (text) => ({ ...document.stepFrom(text), key: "" });
  assert.deepEqual(step("post http://h/port-calls"), { request: "Send a port call", key: "", send: "POST http://h/port-calls" });
  assert.deepEqual(step("http://h/a?b=1&c=d%20e").query, { b: "1", c: "d e" });
  assert.deepEqual(step("GET /a?b=1&b=2"), { request: "Read a", key: "", send: "GET /a?b=1&b=2" }, "a name twice stays");
  assert.deepEqual(step("wait 2 s"), { wait: "2 s", key: "" });
  assert.deepEqual(step("set a = [=b]"), { set: { a: "[=b]" }, key: "" });
  assert.equal(step("GET /").request, "Read an answer");
  assert.equal(step("GET [=harbour]/vessels/V-101").request, "Read a vessel");
  assert.equal(step("GET [=harbour]/users/[=userId]/status").request, "Read status");
  assert.equal(step("DELETE http://h/v1/enquiries/7?hard=true").request, "Delete an enquiry");
  assert.equal(step('{"request": "x", "send": "GET /"}').request, "x");
  assert.notEqual(document.stepFrom("GET /").key, document.stepFrom("GET /").key);
});

const CASE = {
  case: "x",
  once: [{ request: "a", key: "a", send: "GET /a" }],
  steps: [{ request: "b", key: "b", send: "GET /b", expect: [{ of: "status", is: 200, note: "well" }] }, { request: "c", key: "c", send: "GET /c" }],
};

test("edits find their step by its key and leave the rest", () => {
  const edited = (change) => change(structuredClone(CASE));
  assert.deepEqual(edited(document.moveStep("c", -1)).steps.map((step) => step.key), ["c", "b"]);
  assert.deepEqual(edited(document.moveStep("b", -1)), CASE);
  assert.deepEqual(edited(document.moveStepTo("c", "b", false)).steps.map((step) => step.key), ["c", "b"]);
  assert.deepEqual(edited(document.setPart("c", "afterwards")).afterwards.map((step) => step.key), ["c"]);
  assert.equal("once" in edited(document.setPart("a", "steps")), false, "a part that is empty goes");
  assert.deepEqual(edited(document.setBody("b", "json", "{}")).steps[0].json, "{}");
  assert.equal("json" in document.setBody("b", "xml", "<a/>")(edited(document.setBody("b", "json", "{}"))).steps[0], false);
  const copied = edited(document.duplicateStep("b")).steps;
  assert.equal(copied.length, 3);
  assert.notEqual(copied[1].key, "b");
  assert.deepEqual(edited(document.setCheck("b", 0, { of: "time", below: "1 s" })).steps[0].expect, [
    { of: "time", below: "1 s", note: "well" },
  ]);
  assert.equal("expect" in edited(document.setCheck("b", 0, null)).steps[0], false);
});

test("a check becomes one on every answer, is called otherwise, and steps except themselves", () => {
  const every = document.toEvery("b", 0)(structuredClone(CASE));
  assert.deepEqual(every["every answer"], [{ of: "status", is: 200, note: "well" }]);
  assert.equal("expect" in every.steps[0], false);
  const without = document.except("c", "well", true)(every);
  assert.deepEqual(without.steps[1].without, ["well"]);
  const renamed = document.renameEvery(0, "well", "all is well")(without);
  assert.deepEqual([renamed["every answer"][0].note, renamed.steps[1].without], ["all is well", ["all is well"]]);
  assert.equal("without" in document.except("c", "all is well", false)(renamed).steps[1], false);
  assert.equal("every answer" in document.inEvery(document.replaced(0, null))(every), false);
  assert.deepEqual(document.inEvery(document.marked(0, "advice"))(every)["every answer"][0].advice, true);
});

test("lines of pairs, parts, sign-ins and options are read back as they are written", () => {
  assert.deepEqual(pairs.pairsOf("Accept: a\nX: b:c\n\n", ":"), [["Accept", "a"], ["X", "b:c"]]);
  assert.deepEqual(pairs.pairsOf("?a=1&b=%20x", "="), [["a", "1"], ["b", " x"]]);
  assert.match(pairs.pairsOf("no value", ":"), /not a name and a value/);
  assert.deepEqual(pairs.partsOf('note = "two\\nlines", text/plain\nplan = file data/plan.pdf, application/pdf\nplain = a, b'), [
    { name: "note", text: "two\nlines", type: "text/plain" },
    { name: "plan", file: "data/plan.pdf", type: "application/pdf" },
    { name: "plain", text: "a, b" },
  ]);
  for (const auth of [
    { bearer: "[=token]" }, { basic: ["desk", "[=word]"] }, { digest: ["desk", "x"] },
    { key: { in: "header", name: "X-Key", value: "[=k]" } },
    { oauth2: { "token url": "[=h]/token", "client id": "a", "client secret": "b", scope: "c" } },
  ])
    assert.deepEqual(pairs.authOf(pairs.authText({ auth })), auth);
  assert.equal(pairs.authOf(""), undefined);
  assert.match(pairs.authOf("kerberos x"), /^Write bearer/);
  const options = { timeout: "5 s", retries: 2, "verify tls": false, namespaces: { t: "urn:tides" } };
  assert.deepEqual(pairs.optionsOf(pairs.optionsText({ options })), options);
  for (const [text, kind] of [["<a/>", "xml"], ["file data/x", "file"], ["a = b", "form"], ["a = file x", "multipart"], ["[1]", "json"], ["hello", "text"]])
    assert.equal(pairs.bodyKind(text), kind);
});

test("a secret that is written out gives way to its name, wherever it stands", () => {
  const case_ = {
    auth: { basic: ["desk", "tar"] },
    values: { apiKey: "k-1", fee: "7" },
    steps: [{ key: "a", send: "GET /x", headers: { "X-Api-Key": "h-1" }, auth: { bearer: "t-1" } }, { key: "b", send: "GET [=apiKey]" }],
  };
  const made = (key, of, name) => {
    const found = secrets.writtenSecret(case_, key, of);
    return [found.text, found.name, found.without(name ?? found.name)(case_)];
  };
  let [text, name, after] = made("a", { at: "header", called: "x-api-key" });
  assert.deepEqual([text, name, after.steps[0].headers], ["h-1", "apiKey", { "X-Api-Key": "[=apiKey]" }]);
  [text, name, after] = made("a", { at: "sign-in", called: "bearer" });
  assert.deepEqual([text, name, after.steps[0].auth, after.auth], ["t-1", "token", { bearer: "[=token]" }, case_.auth]);
  [text, name, after] = made("b", { at: "sign-in", called: "basic" }, "word");
  assert.deepEqual([text, name, after.auth], ["tar", "password", { basic: ["desk", "[=word]"] }]);
  [text, name, after] = made("", { at: "value", called: "apiKey" });
  assert.deepEqual([text, name, after.values], ["k-1", "apiKey", { fee: "7" }]);
  [, , after] = made("", { at: "value", called: "apiKey" }, "portKey");
  assert.deepEqual(after.values, { apiKey: "[=portKey]", fee: "7" }, "a step still speaks of it");
  assert.equal(secrets.writtenSecret(case_, "", { at: "value", called: "fees" }), undefined);
});

test("a file is sent as the body, or as one more part", () => {
  const sends = (step) => document.stepWith(files.withFile("a", "data/plan.pdf", "application/pdf")({ steps: [{ key: "a", ...step }] }), "a");
  assert.deepEqual(sends({}), { key: "a", file: "data/plan.pdf", type: "application/pdf" });
  assert.deepEqual(sends({ file: "data/old.txt", type: "text/plain" }).file, "data/plan.pdf");
  const part = { name: "plan", file: "data/plan.pdf", type: "application/pdf" };
  assert.deepEqual(sends({ form: { a: "1" } }), { key: "a", multipart: [{ name: "a", text: "1" }, part] });
  assert.deepEqual(sends({ form: [["a", "1"], ["a", "2"]] }).multipart.length, 3);
  assert.deepEqual(sends({ multipart: [{ name: "x", text: "y" }] }).multipart[1], part);
  const known = [{ path: "data/plan.pdf" }, { path: "data/plan-2.pdf" }];
  assert.equal(paths.freePath("plan.pdf", known), "data/plan-3.pdf");
  assert.equal(paths.freePath("../../etc/passwd", []), "data/etc-passwd");
  assert.equal(paths.freePath("Größe 1.csv", []), "data/Größe-1.csv");
  assert.equal(paths.freePath("..", []), "data/file");
  assert.equal(paths.mediaTypeOf("a.PDF"), "application/pdf");
  assert.equal(paths.mediaTypeOf("a"), "application/octet-stream");
});

test("what is typed after [= finds the values that fit", () => {
  const known = [{ name: "vesselId" }, { name: "vessel" }];
  assert.deepEqual(inserting.fitting("GET /[=ves", 10, known).map((item) => item.name), ["vesselId", "vessel"]);
  assert.deepEqual(inserting.fitting("GET /x", 6, known), []);
  assert.equal(inserting.openReference("a [=b | ", 8), "b | ");
  assert.equal(inserting.openReference("a [=b] ", 7), undefined);
  assert.deepEqual(inserting.inserted("a [=b | up", 10, "b | upper"), ["a [=b | upper]", 14]);
  assert.deepEqual(inserting.inserted("GET /[=ves]/x", 10, "vesselId"), ["GET /[=vesselId]/x", 16]);
  assert.deepEqual(inserting.putIn([{ name: "a" }, { name: "b" }], "[=a]").length, 1);
});

test("numbers, times and sizes", () => {
  assert.equal(format.whole(1234567), "1\u202f234\u202f567");
  assert.deepEqual([0.01, 3.14, 42.4, 999, 1000, 12_345].map(format.duration), ["0 ms", "3.1 ms", "42 ms", "999 ms", "1.0 s", "12 s"]);
  assert.deepEqual([999, 1000, 1_500_000].map(format.size), ["999 B", "1.0 kB", "1.5 MB"]);
  assert.equal(format.listed(["a", "b", "c"]), "a, b and c");
  assert.equal(format.count(1, "step"), "1 step");
  const now = Date.parse("2026-11-23T12:00:00Z");
  const ago = (moment) => format.ago(moment, now);
  assert.deepEqual(
    ["2026-11-23T11:59:58Z", "2026-11-23T11:59:20Z", "2026-11-23T11:40:00Z", "2026-11-23T09:00:00Z", "2026-11-22T12:00:00Z", "2026-11-20T12:00:00Z"].map(ago),
    ["just now", "40 s ago", "20 min ago", "3 h ago", "yesterday", "3 days ago"],
  );
});

test("an outcome is told worst first", () => {
  const entry = (name, verdict, why) => ({
    case: name, environment: "Live", name, verdict, state: "finished", why: why && { sentence: why }, steps: [{ verdict, part: "steps", index: 0 }],
    stepNames: [{ part: "steps", index: 0, place: "steps.0", name: "Read it" }],
  });
  const run = { state: "finished", verdict: "failed", environments: ["Live"], cases: [entry("A", "passed"), entry("B", "blocked", "no answer"), entry("C", "failed", "was 5, expected 6")] };
  assert.deepEqual(report.sentences(run), [
    "1 of 3 cases passed.", "“C” failed at Read it: was 5, expected 6.", "“B” was blocked at Read it: no answer.",
  ]);
  assert.deepEqual(report.sentences({ ...run, cases: [entry("A", "passed")] }), ["Passed."]);
  const several = { ...run, environments: ["Live", "Rehearsal"] };
  assert.equal(report.sentences(several)[1], "“C” against Live failed at Read it: was 5, expected 6.");
  const inBoth = { ...several, cases: ["Live", "Rehearsal"].map((environment) => ({ ...entry("C", "failed", "was 5, expected 6"), environment })) };
  assert.deepEqual(report.sentences(inBoth), ["0 of 2 cases passed.", "“C” failed at Read it: was 5, expected 6."]);
  assert.equal(report.tally(run), "3 cases · 3 steps carried out");
  const causes = { ...run, cases: [...run.cases, entry("D", "unchecked")] };
  assert.deepEqual(report.sentences(causes, true), ["1 of 4 cases passed.", "“D” checks nothing at Read it."]);
  assert.equal(report.wrongIn(run), 2);
  const rows = { ...run, cases: [{ ...entry("R", null), rows: { counts: { failed: 1234, blocked: 3 } } }] };
  assert.deepEqual([report.wrongIn(rows), report.wrongIn({ ...rows, state: "running" })], [1237, 1200]);
});

test("the cases of a run that are meant, in the order that is meant", () => {
  const cases = [["Berths", "passed", 3], ["Tides", "failed", 1], ["Fees", "blocked", null], ["Berth fees", "failed", 9]].map(
    ([name, verdict, ms]) => ({ case: name, name, verdict, ms, tags: verdict === "failed" ? ["Slow"] : [], suite: name === "Tides" ? "Feeds" : "Port", stepNames: [{ name: `Read ${name}` }] }),
  );
  const those = (asked) => shown.shownCases(cases, { ...shown.EVERY_CASE, ...asked }).map((entry) => entry.name);
  assert.deepEqual(those({}), ["Berths", "Tides", "Fees", "Berth fees"]);
  assert.deepEqual(those({ typed: "  BERTH fees " }), ["Berth fees"]);
  assert.deepEqual(those({ typed: "feeds read" }), ["Tides"], "of its suite and its steps, too");
  assert.deepEqual(those({ typed: "slow fees" }), ["Berth fees"], "of its tags, too");
  assert.deepEqual(those({ verdicts: new Set(["failed"]) }), ["Tides", "Berth fees"]);
  assert.deepEqual(those({ order: "the worst first" }), ["Tides", "Berth fees", "Fees", "Berths"]);
  assert.deepEqual(those({ order: "the slowest first" }), ["Berth fees", "Berths", "Tides", "Fees"]);
  assert.deepEqual(those({ typed: "nothing like it" }), []);
  assert.deepEqual(shown.verdictsAmong(cases), [["failed", 2], ["blocked", 1], ["passed", 1]]);
  const beside = cases.flatMap((entry) => [entry, { ...entry, verdict: entry.name === "Fees" ? "passed" : entry.verdict }]);
  const both = (asked) => shown.shownCases(beside, { ...shown.EVERY_CASE, ...asked }).map((entry) => `${entry.name} ${entry.verdict}`);
  assert.deepEqual(both({ differing: true }), ["Fees blocked", "Fees passed"]);
  assert.deepEqual(both({ verdicts: new Set(["blocked"]) }), ["Fees blocked", "Fees passed"], "with what stands beside it");
  assert.deepEqual(shown.byCase(beside).map((entries) => entries.length), [2, 2, 2, 2]);
});

test("suites stand in folders, and what is found stands in its own", () => {
  const suite = (id, within, name, tags, names) => ({
    id, within, name, tags, cases: names.map((name) => ({ id: name, name, about: "", register: "", tags: [], addresses: [], last: null })),
  });
  const suites = [
    suite("a", null, "Port", ["harbour"], ["Lamps"]), suite("b", "a", "Quay", ["stone"], ["Ropes", "Steps"]),
    suite("c", "b", "Inner quay", [], ["Rings"]), suite("d", "gone", "Tower", [], ["Light"]),
  ];
  const names = (list) => list.map(({ name }) => name);
  const [port, tower] = tree.treeOf(suites);
  assert.deepEqual([port.suite.name, tower.suite.name, names(tree.allOf(port))], ["Port", "Tower", ["Port", "Quay", "Inner quay"]]);
  assert.deepEqual(names(tree.casesOf(port)), ["Lamps", "Ropes", "Steps", "Rings"]);
  assert.equal(standing.pathOf(suites[2], suites), "Port › Quay › Inner quay");
  const found = (typed) => tree.fitting(suites, typed).map(({ name, cases }) => [name, ...names(cases)]);
  assert.deepEqual(found("rings"), [["Port"], ["Quay"], ["Inner quay", "Rings"]], "the folders around it are shown");
  assert.deepEqual(found("stone steps"), [["Port"], ["Quay", "Steps"]]);
  assert.deepEqual(found("harbour not run"), [["Port", "Lamps"], ["Quay", "Ropes", "Steps"], ["Inner quay", "Rings"]]);
  assert.deepEqual(found("light"), [["Tower", "Light"]]);
});

test("threads that overlap run in lanes of their own", () => {
  const place = (number, top, keeps = []) => ({ number, top, keeps: new Map(keeps) });
  const thread = (name, from, to, broken = false) => ({ name, from, to, broken });
  const drawn = threads.drawThreads(
    [thread("a", 1, [2, 3]), thread("b", 2, [3]), thread("c", 9, [1])],
    [place(1, 0, [["a", 30]]), place(2, 100, [["b", 130]]), place(3, 200)], 84,
  );
  assert.equal(drawn.length, 2, "a thread whose step is not there is not drawn");
  const lane = (item) => /H(\d+) M/.exec(item.path)[1];
  assert.notEqual(lane(drawn[0]), lane(drawn[1]));
  assert.deepEqual(drawn[0].dot, [84, 30]);
  assert.equal(drawn[0].arrows.length, 2);
});

test("what is pasted is known, and goes where a value says", () => {
  for (const text of ["curl http://h", "$ curl http://h", "curl.exe -d x h", "/usr/bin/curl h", "GET / HTTP/1.1\nHost: h", "POST /a\nHost: h"])
    assert.equal(pasting.looksPasted(text), true, text);
  for (const text of ["GET http://h/", "http://h/curl x", "curling is a game", "wait 2 s", "GET /\n"])
    assert.equal(pasting.looksPasted(text), false, text);
  const scope = [{ name: "harbour", value: "“http://h:8421/”" }, { name: "n", value: "7" }];
  const to = (send) => pasting.withKnownOrigin({ send }, scope).send;
  assert.equal(to("GET http://h:8421/vessels"), "GET [=harbour]/vessels");
  assert.equal(to("GET http://h:8421"), "GET [=harbour]");
  assert.equal(to("GET http://h:84210/vessels"), "GET http://h:84210/vessels");
  assert.equal(to("GET [=other]/7"), "GET [=other]/7");
});

test("a request is copied as curl and as HTTP", () => {
  const exchange = {
    method: "POST", address: "http://h/a?b=1", sentBody: "it's ä", sentSize: 7,
    sentHead: "POST /a?b=1 HTTP/1.1\r\nHost: h\r\nAccept-Encoding: gzip\r\nX: it's\r\nContent-Length: 7\r\n\r\n",
  };
  assert.equal(
    copied.asCurl(exchange),
    "curl 'http://h/a?b=1' \\\n  -H 'X: it'\\''s' \\\n  --compressed \\\n  --data-raw 'it'\\''s ä'",
  );
  assert.equal(copied.asHttp(exchange).split("\n").at(-1), "it's ä");
  const bare = { ...exchange, sentBody: "", sentSize: 0, sentHead: "DELETE / HTTP/1.1\r\nHost: h\r\n\r\n", method: "DELETE" };
  assert.equal(copied.asCurl(bare), "curl -X DELETE \\\n  'http://h/a?b=1'");
  assert.match(copied.asCurl({ ...exchange, sentSize: 900 }), /--data-binary @body/);
});

test("tables go to and from the clipboard as spreadsheets write them", () => {
  for (const [text, rows] of [
    ["a\tb\nc\td\n", [["a", "b"], ["c", "d"]]],
    ["a\r\nb", [["a"], ["b"]]],
    ['"x\ty"\t"two\nlines"\n"a ""b"""', [["x\ty", "two\nlines"], ['a "b"']]],
    ['"open\tb', [['"open', "b"]]],
    ["\t\n", [["", ""]]],
    ["", [[""]]],
  ]) {
    assert.deepEqual(table.readTable(text), rows);
    assert.deepEqual(table.readTable(table.writeTable(rows)), rows);
  }
  const formulas = [["=1+1", "@x", "-2", "+3.5", "-x", "'=y", "it's"]];
  assert.equal(table.writeTable(formulas), "'=1+1\t'@x\t-2\t+3.5\t'-x\t''=y\tit's", "no cell runs in a spreadsheet");
  assert.deepEqual(table.readTable(table.writeTable(formulas)), formulas);
  const wide = Array.from({ length: 5000 }, (_none, row) => [`r${row}`, 'a "b"\t', "x"]);
  assert.deepEqual(table.readTable(table.writeTable(wide)), wide);
});

const check = (of, phrase, rest = "", more = {}) => {
  const typed = `${of} ${phrase}${rest && ` ${rest}`}`;
  return { of, phrase, typed, sentence: typed, note: "", off: false, advice: false, ...more };
};
const OF = {
  id: "c1",
  name: "One",
  document: {},
  steps: [
    { kind: "request", key: "s1", number: 1, name: "List", part: "steps", index: 0, place: "steps.0", expect: [check("status", "is", "200"), check("$.id", "is present")] },
    { kind: "wait", key: "w1", number: 2, name: "wait", part: "steps", index: 1 },
    { kind: "request", key: "s3", number: 3, name: "Read", part: "steps", index: 2, expect: [{ ...check("", ""), typed: "none of: $.a is 1", sentence: "none of", note: "n", off: true }] },
    { kind: "request", key: "s4", number: 4, name: "Clean", part: "afterwards", index: 0, expect: [] },
  ],
};

test("the checks of a case are rows of a sheet", () => {
  const seen = new Map([["steps.0", { checks: [{ check: "status is 200", actual: "200", verdict: "passed" }] }]]);
  const told = [
    { step: "s1", cells: { of: "status", method: "GET", address: "/list", seen: "200, always, in 3" } },
    { step: "s1", cells: { of: "$.id" } },
  ];
  const of = [book.bookOfCase(OF, seen, told)];
  const rows = sheet.rowsOf(of, []);
  assert.deepEqual(rows.map((row) => [row.id, row.cells.of, row.cells.relation, row.cells.expected, row.cells.was, row.verdict]), [
    ["c1.s1.0", "status", "is", "200", "200", "passed"],
    ["c1.s1.1", "$.id", "is present", "", "", undefined],
    ["c1.s3.0", "none of: $.a is 1", "", "", "", undefined],
    ["c1.s4.none", "", "", "", "", undefined],
  ]);
  assert.deepEqual(rows.map((row) => [row.first, row.cells.address, row.cells.seen]), [
    [true, "/list", "200, always, in 3"], [false, "", ""], [true, "", ""], [true, "", ""]]);
  assert.deepEqual([rows[2].cells.step, rows[2].cells.note, rows[2].cells.mark], ["3 Read", "n", "off"]);
  const waits = [{ id: "x", of: "c1", key: "s1", index: -1, cells: { ...rows[0].cells, of: "$.x" }, problem: "no" }];
  assert.deepEqual(sheet.rowsOf(of, waits).map((row) => row.problem), ["", "", "no", "", ""]);
  assert.equal(sheet.newRow(of).key, "s3", "not the step that cleans up");
  assert.equal(sheet.newRow(of, "s1").key, "s1");
  assert.equal(sheet.newRow([]), undefined);
});

test("a pasted table changes rows and makes new ones", () => {
  const of = [book.bookOfCase(OF, new Map(), []), { ...book.bookOfCase(OF, new Map(), []), id: "c2", name: "Other" }];
  const rows = [...sheet.rowsOf(of.slice(0, 1), []), sheet.newRow(of.slice(0, 1))];
  const narrow = columns.columnsFor(false, false);
  const pasted = (at, column, cells) => sheet.pastedRows(rows, at, column, cells, of, narrow);
  const short = (found) => found.map((row) => [row.index < 0 ? "new" : row.id, row.key, row.cells.of, row.cells.relation, row.cells.expected]);
  assert.deepEqual(short(pasted(0, 3, [["201"], ["7"]])), [
    ["c1.s1.0", "s1", "status", "is", "201"], ["c1.s1.1", "s1", "$.id", "is present", "7"]]);
  assert.deepEqual(short(pasted(4, 0, [["1", "time", "below", "1 s"], ["", "size", "below", "1 kB"], ["Clean", "status", "is", "204"], ["", "", "", ""]])), [
    ["new", "s1", "time", "below", "1 s"], ["new", "s1", "size", "below", "1 kB"], ["new", "s4", "status", "is", "204"]]);
  assert.deepEqual(short(pasted(4, 1, [["Expected", "Of"], ["5", "$.n"]])), [["new", "s3", "$.n", "", "5"]]);
  assert.deepEqual(pasted(4, 0, [["case", "of"], ["Other", "status"]]).map((row) => [row.of, row.key]), [["c2", "s3"]]);
  assert.deepEqual(short(pasted(0, 0, [["address", "of"], ["/other", "status"]])), [["c1.s1.0", "s1", "status", "is", "200"]]);
  assert.deepEqual(sheet.textsIn(rows, grid.areaOf([1, 2], [0, 1]), narrow), [["status", "is"], ["$.id", "is present"]]);
});

test("rows become checks by one edit", () => {
  const document = { steps: [{ key: "s1", request: "List", expect: [{ of: "status", is: 200 }, { of: "$.id", present: true }] }, { key: "s3", request: "Read" }] };
  const row = (key, index, more = {}, stored = undefined) => ({ id: "r", key, index, stored, cells: { note: "", mark: "", ...more } });
  const made = sheet.put([
    { row: row("s1", 0, { note: " why ", mark: "advice, off" }), check: { of: "status", is: 201 } },
    { row: row("s3", -1), check: { of: "size", above: 1 } },
    { row: row("gone", -1), check: { of: "size", above: 1 } },
  ])(document);
  assert.deepEqual(made.steps.map((step) => step.expect), [
    [{ of: "status", is: 201, note: "why", advice: true, off: true }, { of: "$.id", present: true }], [{ of: "size", above: 1 }]]);
  assert.deepEqual(sheet.removed([row("s1", 0), row("s1", 1)])(made).steps[0].expect, undefined);
  const group = { "any of": [{ of: "$.a", is: 1, note: "inner" }], note: "n", off: true };
  const cells = { of: "at least one of: $.a is 1", relation: "", expected: "", note: "new", mark: "" };
  const held = { ...row("s1", 0, cells, group), problem: "" };
  assert.deepEqual(sheet.untouched(held, held), { "any of": [{ of: "$.a", is: 1, note: "inner" }] }, "what its parts carry stays");
  assert.equal(sheet.untouched(held, { ...held, cells: { ...cells, of: "$.a is 2" } }), undefined);
  assert.equal(sheet.untouched({ ...held, problem: "no" }, held), undefined);
  const later = { steps: [{ key: "s1", expect: [{ of: "time", below: "1 s" }, { of: "status", is: 200 }] }] };
  const found = sheet.put([{ row: row("s1", 0, {}, { of: "status", is: 200 }), check: { of: "status", is: 201 } }])(later);
  assert.deepEqual(found.steps[0].expect, [{ of: "time", below: "1 s" }, { of: "status", is: 201 }], "found again below a new one");
  assert.deepEqual(sheet.moved(row("s1", 1), "s3")(made).steps.map((step) => step.expect.length), [1, 2]);
});

test("what came otherwise in the same way is one cause", () => {
  const failed = (check, expected, actual, more = {}) => ({ check, expected, actual, verdict: "failed", where: ["$.x"], ...more });
  const of = {
    steps: [
      { key: "s1", number: 1, name: "One", part: "steps", index: 0, place: "steps.0", expect: [check("$.state", "is", "quoted"), check("$.n", "is", "1"), check("$.m", "is at least", "5")] },
      { key: "s2", number: 2, name: "Two", part: "steps", index: 1, place: "steps.1", expect: [check("$.call['state']", "is", "quoted", { note: "why" }), check("$.off", "is", "1", { off: true }), check("$.pin", "is", "1")] },
    ],
  };
  const seen = new Map([
    ["steps.0", { checks: [failed("$.state is quoted", '"quoted"', '"asked"'), failed("$.n is 1", "1", "2"), failed("$.m is at least 5", "5", "2")] }],
    ["steps.1", { checks: [failed("$.call['state'] is quoted", '"quoted"', '"asked"'), failed("$.off is 1", "1", "2"), failed("$.pin is 1", "1", "●●●")] }],
  ]);
  const causes = accepted.causesIn(of, seen);
  assert.deepEqual(causes.map((cause) => [cause.place, cause.actual, cause.checks.map((item) => item.of)]), [
    ["state", '"asked"', ["$.state", "$.call['state']"]], ["n", "2", ["$.n"]]]);
  assert.equal(accepted.rightNow({ phrase: "is" }, failed("x", "1", "2", { where: ["a", "b"] })), false);
  const document = {
    steps: [{ key: "s1", expect: [{ of: "$.state", is: "quoted", advice: true }, { of: "$.n", is: 1 }] }, { key: "s2", expect: [{ of: "$.call['state']", is: "quoted", note: "why" }] }],
  };
  const items = causes[0].checks.map((changed) => ({ changed, check: { of: changed.of, is: "asked" } }));
  const made = accepted.accept(items, "release 3.3")(document);
  assert.deepEqual(made.steps[0].expect, [{ of: "$.state", is: "asked", advice: true, note: "release 3.3" }, { of: "$.n", is: 1 }]);
  assert.deepEqual(made.steps[1].expect, [{ of: "$.call['state']", is: "asked", note: "why" }], "a note of its own stays");
});

test("an expected body stands beside the answer, place by place", () => {
  const expected = { id: "[?text]", fee: { total: 3, "vat?": 1 }, lines: [{ n: 1 }, { n: 2 }], gone: true, each: ["[?every]", { a: 1 }], free: ["[?any order]", 1, 2], ref: "[=name]" };
  const answer = { id: "x", fee: { total: 3.0, extra: "y" }, lines: [{ n: 1 }, { n: 5 }, { n: 3 }], each: [{ a: 1 }, { a: 2 }], free: [2, 1], ref: "other", "odd?": null };
  const wrong = (path) => path === "$.ref" || path === "$.each[*].a";
  const rows = compared.compared(expected, "$", answer, wrong);
  const of = (name) => rows.find((row) => row.name === name);
  assert.deepEqual(rows.filter((row) => row.differs).map((row) => row.key), ['["lines",1,"n"]', '["gone"]', '["each",1,"a"]', '["ref"]']);
  assert.deepEqual(rows.filter((row) => row.way === undefined).map((row) => [row.name, row.parent, row.actual]), [
    ["extra", ["fee"], '"y"'], ["2", ["lines"], "1 field"], ["odd?", [], "null"]]);
  assert.deepEqual([of("id").expected, of("id").actual, of("vat?").actual, of("vat?").differs], ["any text", '"x"', undefined, false]);
  assert.deepEqual([of("each item").actual, rows.find((row) => row.key === '["free",1]').actual], ["1 field", undefined]);
  assert.deepEqual(compared.taken(expected, of("extra")).fee, { total: 3, "vat?": 1, extra: "y" });
  assert.deepEqual(compared.taken(expected, of("2")).lines, [{ n: 1 }, { n: 2 }, { n: 3 }]);
  assert.equal(compared.taken(expected, of("odd?"))["odd??"], null);
  const others = compared.compared({ a: { b: 1 }, c: [1, "[?more]"] }, "$.x", { a: 7, c: [1, 2] }, () => false);
  assert.deepEqual(others.filter((row) => row.differs).map((row) => row.name), ["a", "b"]);
  assert.deepEqual(compared.compared({ a: 1 }, "$", undefined, () => false).map((row) => row.differs), [false, false], "no answer, no difference");
});

test("a column of a workbook means one thing, and a mended cell is read in the place of the file's", () => {
  assert.deepEqual(mapping.meaning(["case", "of", ""], 2, "of"), ["case", "", "of"], "what another column had is taken from it");
  assert.deepEqual(mapping.meaning(["case", ""], 0, ""), ["", ""]);
  const sheet = { table: [["title"], ["Case", "Of"], ["A", "status"], ["", "$.x[", "more"], []] };
  const reading = { headings: 1, columns: ["case", "of"], mended: { "3 1": "$.x" }, otherwise: "" };
  assert.deepEqual(mapping.rowsBelow(sheet, reading), [["A", "status"], ["", "$.x"], ["", ""]]);
  assert.equal(mapping.placeOf(["", "case", "of"], "of"), 2);
  assert.equal(mapping.placeOf(["", "case"], "address"), 1, "a fault of what is not there is mended in the first that is read");
});

test("an unchecked field is expected as it is, or in its kind where it varied", () => {
  const field = { path: "$.id", places: 1, kind: "text", value: "x", check: { of: "$.id", is: "x" } };
  const seen = new Map([["$.id", { kinds: ["text"], loose: { sentence: "2 values in 3" } }], ["$.n", { kinds: ["text", "null"], loose: { sentence: "two kinds" } }]]);
  assert.deepEqual(fields.checkOf(field, new Map()), { of: "$.id", is: "x" });
  assert.deepEqual(fields.checkOf(field, seen), { of: "$.id", kind: "text", note: "2 values in 3" });
  assert.deepEqual(fields.checkOf({ ...field, path: "$.n" }, seen), { of: "$.n", present: true, note: "two kinds" });
  assert.deepEqual(fields.checkOf({ ...field, places: 3 }, seen), field.check, "of several items their kind is said already");
  const cases = [{ steps: [{ fields: 4, checked: 1 }, { fields: 2, checked: 2 }] }, { steps: [] }];
  assert.deepEqual(fields.total(cases), { fields: 6, checked: 3 });
});

test("a sending reads as a sentence", () => {
  const at = new Date().toISOString();
  const sending = { at, status: 200, ms: 12.3, size: 1200, why: null };
  assert.equal(answered.answered(sending), "answered 200 in 12 ms, 1.2 kB · just now");
  assert.equal(answered.answered({ ...sending, status: 0, why: { sentence: "nobody listens" } }), "not answered: nobody listens · just now");
  assert.match(answered.answered({ ...sending, status: 0 }), /could not be sent/);
});

test("a step that was never sent is copied as it is written", () => {
  const step = {
    send: "POST [=harbour]/port-calls?draft=1",
    query: { vessel: "Marrow & Finch", by: "[=agent]" },
    headers: { Accept: "application/json" },
    auth: { bearer: "[=token]" },
    json: '{ "it\'s": 1 }',
  };
  const curl = copied.asCurl(written.asWritten(step));
  assert.equal(curl, "curl '[=harbour]/port-calls?draft=1&vessel=Marrow%20%26%20Finch&by=[=agent]' \\\n  -H 'Accept: application/json' \\\n  -H 'Content-Type: application/json' \\\n  -H 'Authorization: Bearer [=token]' \\\n  --data-raw '{ \"it'\\''s\": 1 }'");
  assert.equal(copied.asHttp(written.asWritten({ send: "GET http://h:1/a" })), "GET http://h:1/a HTTP/1.1\nHost: h:1");
  const form = written.asWritten({ send: "PUT http://h/", form: [["a", "1 2"], ["a", "ä"]], auth: { basic: ["me", "pass"] } });
  assert.equal(form.sentBody, "a=1%202&a=%C3%A4");
  assert.match(form.sentHead, /Content-Type: application\/x-www-form-urlencoded\r\nAuthorization: Basic bWU6cGFzcw==$/);
  assert.match(copied.asCurl(written.asWritten({ send: "POST http://h/", file: "plan.pdf" })), /--data-binary @body/);
  assert.equal(written.asWritten({ send: "GET http://h/", auth: { basic: ["me", "[=pin]"] } }).sentHead.includes("Basic"), false);
});

test("a block from a spreadsheet goes to the values and the environments that it names", () => {
  const cell = (environment, text = "") => ({ environment, given: text !== "", text, missing: false });
  const row = (name, ...texts) => ({ suite: "", suiteName: "", name, secret: false, uses: 0, usedByValues: false, nowhere: false, cases: [],
    cells: ["", "Rehearsal", "Live"].map((environment, index) => cell(environment, texts[index] ?? "")) });
  const rows = [row("harbour", "h0", "h1"), row("agent", "desk")];
  const short = (read) => read.changes.map((item) => [item.kind, item.name, item.environment, item.text]);
  const paste = (block, at) => values.pasted(block, rows, at, ["Rehearsal", "Live"], "");
  assert.deepEqual(short(paste([["a", "b"], ["c", "d"]], { row: 0, column: 2 })), [
    ["put", "harbour", "Rehearsal", "a"], ["put", "harbour", "Live", "b"], ["put", "agent", "Rehearsal", "c"], ["put", "agent", "Live", "d"]]);
  assert.deepEqual(short(paste([["h0", "", "x"]], { row: 0, column: 1 })), [["clear", "harbour", "Rehearsal", undefined], ["put", "harbour", "Live", "x"]]);
  const named = paste([["Name", "live", "Elsewhere", "Everywhere"], ["fee", "9", "8", "7"], ["agent", "", "", "tug"], ["", "1"]], { row: 1, column: 2 });
  assert.deepEqual(short(named), [["put", "fee", "Live", "9"], ["put", "fee", "", "7"], ["put", "agent", "", "tug"]]);
  assert.match(named.said, /^Elsewhere: no such environment/);
  const after = values.changed(rows, [...named.changes, { kind: "remove", suite: "", name: "harbour" }, { kind: "hide", suite: "", name: "agent" }], ["Rehearsal", "Live"]);
  assert.deepEqual(after.map((item) => [item.name, item.secret, item.cells.map((one) => one.text)]), [["agent", true, ["", "", ""]], ["fee", false, ["7", "", "9"]]]);
  assert.deepEqual(values.found(rows, "DESK", "all").map((item) => item.name), ["agent"]);
});
