// How an answer is read in the page, without a browser: the index of its bytes, exact numbers, what watches a place.
import assert from "node:assert/strict";
import { test } from "node:test";
import { fileURLToPath } from "node:url";
import { built } from "./built.mjs";

const { exact, facts, find, hex, indexer, places, reading, watching } = await built(
  process.env.WEB,
  fileURLToPath(new URL("reading.ts", import.meta.url)),
);

let seed = 5;
const random = (below) => {
  seed = (seed * 1103515245 + 12345) % 2147483648;
  return seed % below;
};
const pick = (items) => items[random(items.length)];
const bytes = (text) => new TextEncoder().encode(text);

const NAMES = ["id", "größe", "net price", "it's", 'say "so"', "a.b", "x[0]", "船", "back\\slash", "", "tab\there", "😀"];

function anything(levels) {
  const kind = random(levels > 0 ? 8 : 6);
  if (kind === 6) return Array.from({ length: random(5) }, () => anything(levels - 1));
  if (kind === 7) return Object.fromEntries(Array.from({ length: random(5) }, () => [pick(NAMES), anything(levels - 1)]));
  return [null, true, false, random(10 ** 6) / 8, pick(NAMES), `line\n"${random(99)}" \\ ü 😀`][kind];
}

/** Every place below a value with what stands there, in the document's order. */
function* placesOf(value, path = "$") {
  yield [path, value];
  if (Array.isArray(value)) for (const [at, item] of value.entries()) yield* placesOf(item, `${path}[${at}]`);
  else if (value && typeof value === "object")
    for (const [name, item] of Object.entries(value)) yield* placesOf(item, places.fieldOf(path, name));
}

test("the index has every node, with its path, its text and its size", () => {
  for (let round = 0; round < 600; round++) {
    const value = anything(4);
    const text = pick([JSON.stringify(value), JSON.stringify(value, null, 2), ` ${JSON.stringify(value, null, "\t")}\r\n`]);
    const index = indexer.indexJson(bytes(text));
    const wanted = [...placesOf(value)];
    assert.equal(index.count, wanted.length);
    wanted.forEach(([path, item], node) => {
      assert.equal(reading.pathOf(index, node), path);
      assert.equal(index.depth[node], places.namesOf(path).length);
      const branch = Boolean(item) && typeof item === "object";
      assert.equal(reading.isBranch(index, node), branch);
      assert.equal(index.children[node], branch ? Object.keys(item).length : 0);
      assert.equal(index.span[node], [...placesOf(item)].length);
      if (branch) assert.equal(reading.childrenOf(index, node).length, Object.keys(item).length);
      else assert.deepEqual(JSON.parse(reading.wholeTextOf(index, node)), item);
    });
  }
});

test("numbers keep their text, and names their escapes", () => {
  const index = indexer.indexJson(bytes('{"a": 1318.40, "\\u00e4\\n": [9007199254740993, 1e400, -0.0]}'));
  const texts = Array.from({ length: index.count }, (_, node) => (reading.isBranch(index, node) ? "" : reading.wholeTextOf(index, node)));
  assert.deepEqual(texts.filter(Boolean), ["1318.40", "9007199254740993", "1e400", "-0.0"]);
  assert.equal(reading.keyOf(index, 2), "ä\n");
});

test("what is no JSON says where it stops", () => {
  for (const text of ["", "{", "[1,", '{"a"}', "[1 2]", '{"a": 1,}', "nul", '"open', "[] []", "{'a': 1}", "\ufeff{}", "[".repeat(2000)])
    assert.throws(() => indexer.indexJson(bytes(text)), indexer.NotJson, JSON.stringify(text.slice(0, 20)));
  assert.throws(() => indexer.indexJson(bytes('{"a": x}')), /from byte 6/);
});

test("what can be seen is what is open", () => {
  const index = indexer.indexJson(bytes(JSON.stringify({ a: [1, 2, { b: 3 }], c: 4 })));
  const rows = (open) => [...reading.visible(index, new Set(open))].map((node) => reading.pathOf(index, node));
  assert.deepEqual(rows([0]), ["$.a", "$.c"]);
  assert.deepEqual(rows([0, 1]), ["$.a", "$.a[0]", "$.a[1]", "$.a[2]", "$.c"]);
  assert.deepEqual(rows(reading.openAtFirst(index)), ["$.a", "$.a[0]", "$.a[1]", "$.a[2]", "$.a[2].b", "$.c"]);
  const large = indexer.indexJson(bytes(JSON.stringify(Array.from({ length: 5000 }, () => ({ x: [1] })))));
  assert.equal(reading.visible(large, reading.openAtFirst(large)).length, 5000, "of a large answer only the top is open");
  assert.equal(indexer.indexJson(bytes("7")).count, 1);
});

test("a long text is cut where it is shown, not where it is used", () => {
  const index = indexer.indexJson(bytes(JSON.stringify({ long: "x".repeat(5000) })));
  assert.ok(reading.textOf(index, 1).length < 500);
  assert.equal(reading.wholeTextOf(index, 1).length, 5002);
});

test("an item is meant by what only it is called", () => {
  const named = (value, path) => {
    const index = indexer.indexJson(bytes(JSON.stringify(value)));
    for (let node = 0; node < index.count; node++) if (reading.pathOf(index, node) === path) return reading.pathByName(index, node);
    throw new Error(path);
  };
  const berths = { items: [{ id: "E1", name: "East", metres: 30 }, { id: "E4", name: "East", metres: 120 }] };
  assert.deepEqual(named(berths, "$.items[1].metres"), { path: "$.items[?@.id == 'E4'].metres", field: "id", value: "E4" });
  assert.equal(named({ items: [{ a: 1 }, { a: 1 }] }, "$.items[0].a"), undefined, "nothing tells them apart");
  assert.equal(named({ a: { b: 1 } }, "$.a.b"), undefined, "there is no list");
  assert.equal(named({ items: [1, 2] }, "$.items[0]"), undefined, "its items are no objects");
  assert.equal(named([{ n: 7, x: 1 }, { n: 8, x: 1 }], "$[0].x").path, "$[?@.n == 7].x");
  assert.equal(named([{ name: "it's", x: 1 }, { name: "so", x: 2 }], "$[0].x").path, "$[?@.name == \"it's\"].x");
});

test("exact numbers come and go as they are", () => {
  const texts = ["1318.40", "9007199254740993", "1e3", "-0", "0.000001", "1.0", "12", "-7.5", "0", "123456789012345678901234567890"];
  for (const text of texts) assert.equal(exact.writeExact(exact.readExact(`{"a":[${text}]}`)), `{"a":[${text}]}`);
  assert.equal(exact.readExact("12"), 12, "what a browser keeps stays a number");
  for (let round = 0; round < 400; round++) {
    const text = JSON.stringify(anything(4));
    assert.equal(exact.writeExact(exact.readExact(text)), text);
  }
  assert.equal(exact.isFields(exact.readExact("1318.40")), false);
  assert.equal(exact.isFields({}), true);
  assert.equal(exact.isFields([]) || exact.isFields(null) || exact.isFields("x"), false);
});

/** As the API gives it: `of | relation | expected`, the subject and the relation apart from the sentence. */
const outcome = (of, relation, expected, more = {}) => ({
  of, relation, check: `${of} ${relation} ${expected}`, verdict: "passed", where: [], parts: [], expected: "", actual: "", why: null, ...more,
});
const step = (...checks) => ({ checks });
const says = (of, path, keeps) => watching.watching(of, path, keeps)?.text;

test("a place says what watches it", () => {
  for (const [of, relation, expected, path, text] of [
    ["$.id", "is", "E4", "$.id", "checked"],
    ["$.id", "kind", "text", "$.id", "loose"],
    ["$.id", "present", "", "$.id", "loose"],
    ["$.id", "is", "E4", "$.ident", undefined],
    ["$.items[*].id", "is", "E4", "$.items[3].id", "checked"],
    ["$.items[*].id", "is", "E4", "$.items[3].name", undefined],
    ["$.items[?@.name == 'East 4'].metres", "is", "120", "$.items[1].metres", "checked"],
    ["$..amount", "above", "0", "$.fee.lines[2].amount", "checked"],
    ["$..amount", "above", "0", "$.amount", "checked"],
    ["$..amount", "above", "0", "$.amounts", undefined],
    ["$.fee.*", "above", "0", "$.fee.total", "checked"],
    ["$.fee.*", "above", "0", "$.fee['net price']", "checked"],
    ["$['net price']", "is", "5", "$['net price']", "checked"],
    ["$.a['it\\'s so'].b", "is", "5", "$.a['it\\'s so'].b", "checked"],
    ["$.größe", "is", "5", "$.größe", "checked"],
    ["$.lines[*].amount | sum", "is", "5", "$.lines[0].amount", "checked"],
    ["status", "is", "200", "$.status", undefined],
    ["$.distance", "is", "5", "$.distance", "checked"],
    ["$.isActive", "present", "", "$.isActive", "loose"],
    ["$['is of kind x']", "is", "5", "$['is of kind x']", "checked"],
    ["$['fits ']", "is", "5", "$['fits ']", "checked"],
    ["cookie fish", "is", "5", "$.fish", undefined],
  ])
    assert.equal(says(step(outcome(of, relation, expected)), path), text, `${of} at ${path}`);
});

test("a failing check comes first, and a keep last", () => {
  const failed = outcome("$.metres", "at least", "141.9", {
    verdict: "failed", where: ["$.metres"], why: { sentence: "was 120, expected at least 141.9", wanted: "at least 141.9" },
  });
  assert.equal(says(step(outcome("$.metres", "present", ""), failed), "$.metres"), "wanted at least 141.9");
  assert.equal(says(step(outcome("$.id", "present", "", { verdict: "skipped" })), "$.id"), undefined);
  assert.equal(says(step(), "$.id", [{ name: "berthId", of: "$.id" }]), "kept as berthId");
  assert.equal(says(step(), "$.id", [{ name: "berthId", of: "$.id | upper" }]), "kept as berthId");
});

test("groups and expected bodies watch what is in them", () => {
  const each = outcome("$.lines[*]", "for each", "", { parts: [outcome("$.amount", "above", "0")] });
  assert.equal(says(step(each), "$.lines[1].amount"), "checked");
  assert.equal(says(step(each), "$.amount"), undefined);
  const body = outcome("body", "fits", "{...}", {
    expected: JSON.stringify({ id: "E4", "note?": "[?]", items: ["[?every]", { n: 1 }], "a b": "[?text]", list: [1, "[?more]"] }),
  });
  for (const [path, text] of [
    ["$.id", "checked"], ["$.note", "loose"], ["$.items[7].n", "checked"], ["$['a b']", "loose"], ["$.list[0]", "checked"], ["$.other", undefined],
  ])
    assert.equal(says(step(body), path), text, path);
});

test("letters that were escaped are read as letters, and nothing is read otherwise than it is", () => {
  assert.equal(reading.withLetters('"gr\\u00f6\\u00dfe \\ud83d\\udea2 \\/ \\u0041"'), '"größe 🚢 / A"');
  assert.equal(reading.withLetters('"\\\\u00e4 \\" \\n \\u0000 \\u202e \\ud83d \\u0022 \\u005c \\u2028"'), '"\\\\u00e4 \\" \\n \\u0000 \\u202e \\ud83d \\u0022 \\u005c \\u2028"');
  const units = ["\\u00e4", "\\ud83d", "\\udea2", "\\\\", '\\"', "\\/", "\\n", "\\u0022", "\\u005C", "\\u200b", "ß", "u00e4", "\\u0000", "\\u4E2D", "😀"];
  for (let round = 0; round < 3000; round++) {
    const text = `"${Array.from({ length: random(8) }, () => pick(units)).join("")}"`;
    assert.equal(JSON.parse(reading.withLetters(text)), JSON.parse(text), text);
  }
});

test("a text is found in keys and values wherever it stands, whatever its case", () => {
  const index = (text) => indexer.indexJson(bytes(text));
  const paths = (text, wanted) => find.found(index(text), wanted).map((node) => reading.pathOf(index(text), node));
  const answer = '{"Größe": 1, "items": [{"name": "EAST 4"}, {"name": "gr\\u00f6\\u00dfer"}, 4.50], "": "east", "x": {"east": {}}}';
  assert.deepEqual(paths(answer, "größe"), ["$.Größe", "$.items[1].name"]);
  assert.deepEqual(paths(answer, "east"), ["$.items[0].name", "$['']", "$.x.east"]);
  assert.deepEqual(paths(answer, "4.5"), ["$.items[2]"]);
  assert.deepEqual([paths(answer, ""), paths(answer, "  "), paths(answer, "}, {"), paths(answer, "nowhere")], [[], [], [], []]);
  for (let round = 0; round < 400; round++) {
    const value = anything(4);
    const text = pick([JSON.stringify(value), JSON.stringify(value, null, 2)]);
    const made = index(text);
    const wanted = pick(["id", "a.b", "船", "ü", "9", "TAB", "say", "line", "true", "Größe"]);
    const slow = [];
    for (let node = 0; node < made.count; node++) {
      const raw = reading.isBranch(made, node) ? "" : reading.wholeTextOf(made, node);
      const key = new TextDecoder().decode(made.bytes.subarray(made.keyStart[node], made.keyEnd[node]));
      if (`${key}\n${raw}`.toLowerCase().includes(wanted.toLowerCase())) slow.push(node);
    }
    assert.deepEqual(find.found(made, wanted), slow, `${wanted} in ${text}`);
  }
});

test("what is no text is shown as bytes", () => {
  assert.equal(hex.textIn(bytes("größe\n\t\x1b[0m"), "utf-8"), "größe\n\t\x1b[0m");
  assert.equal(hex.textIn(bytes("größe").subarray(0, 3), "utf-8"), "gr", "cut within a letter");
  assert.equal(hex.textIn(new Uint8Array([0x67, 0xfc]), "latin1"), "gü");
  for (const octets of [[0xff, 0x41], [0, 1, 2], [0x50, 0x4b, 3, 4], [0xc3, 0x28]]) assert.equal(hex.textIn(new Uint8Array(octets), "utf-8"), undefined);
  assert.equal(hex.textIn(bytes("plain"), "no-such-charset"), "plain");
  assert.equal(hex.dumped(new Uint8Array([...bytes("PK\x03\x04 and so on, on"), 0xff])), [
    "000000  50 4b 03 04 20 61 6e 64 20 73 6f 20 6f 6e 2c 20  PK···and·so·on,·",
    "000010  6f 6e ff                                         on·",
  ].join("\n"));
  assert.match(hex.dumped(new Uint8Array(5000)), /\n… 904 bytes more$/);
});

test("what an answer says besides its body is pointed at where a subject can hold its name", () => {
  const lines = ["Location: /calls/7", "X-A: 1", "x-a: 2", "a b: 3", "[=x: 4", "Set-Cookie: desk=a=b; Path=/", "Set-Cookie: a(b)=c"];
  const exchange = {
    status: 201,
    size: 12,
    mediaType: "application/JSON; charset=utf-8",
    times: { total: 182, receiving: 2 },
    receivedHead: ["HTTP/1.1 201 Created", ...lines, "", ""].join("\r\n"),
  };
  const found = facts.factsOf(exchange);
  assert.deepEqual(
    found.map((fact) => [fact.path, fact.text]),
    [
      ["status", "201"],
      ["time", "182000"],
      ["time to first byte", "180000"],
      ["size", "12"],
      ["type", '"application/json"'],
      ["header Location", '"/calls/7"'],
      ["header X-A", '"1"'],
      ["cookie desk", '"a=b"'],
    ],
  );
  for (const fact of found) assert.deepEqual(fact.below(), [fact]);
});
