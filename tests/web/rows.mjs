// Rows in the pages: what is typed about sources, look-ups and output tables is read back; columns find their places by name.
import assert from "node:assert/strict";
import { test } from "node:test";
import { fileURLToPath } from "node:url";
import { built } from "./built.mjs";

const { columns, lookup, source } = await built(process.env.WEB, fileURLToPath(new URL("rows.ts", import.meta.url)));

test("a frame that is drawn says where names and data stand", () => {
  const shown = { rows: 20, columns: 6 };
  const framed = (area, names) => source.framing({ file: "a.csv" }, area, names, shown);
  assert.deepEqual(framed({ top: 3, left: 1, bottom: 20, right: 6 }, true), { file: "a.csv", "names in": 3, "data in": "A4" });
  assert.deepEqual(framed({ top: 3, left: 2, bottom: 9, right: 4 }, true), { file: "a.csv", "names in": 3, "data in": "B4:D9" });
  assert.deepEqual(framed({ top: 1, left: 1, bottom: 9, right: 6 }, false), { file: "a.csv", "names in": 0, "data in": "A1:F9" });
  assert.deepEqual(framed({ top: 2, left: 1, bottom: 20, right: 3 }, true), { file: "a.csv", "names in": 2, "data in": "A3:C" });
  assert.equal(source.letters(28), "AB");
});

test("a column's kind is said, may be empty, and is left as it stands", () => {
  let of = source.withKind({ file: "a" }, "length", "number");
  assert.deepEqual(of, { file: "a", columns: { length: "number" } });
  of = source.withEmpty(of, "length", true);
  assert.equal(source.mayBeEmpty(of, "length"), true);
  of = source.withKind(of, "length", "integer");
  assert.deepEqual(of.columns, { length: { kind: "integer", "may be empty": true } });
  assert.deepEqual(source.withKind(source.withEmpty(of, "length", false), "length", ""), { file: "a" });
});

test("values that are combined are read as they are written", () => {
  for (const values of [[1, 7, 30], ["a", "b, c", ""], ["1", true, null, "[=any of x, y]"], ["-length", " a "]])
    assert.deepEqual(source.readValues(source.writeValues(values)), values, source.writeValues(values));
  assert.deepEqual(source.readValues("Fernholm, 3 , x y"), ["Fernholm", 3, "x y"]);
});

test("where a database stands is read as it is written", () => {
  for (const document of [
    { sqlite: "[=harbourDatabase]" }, { sqlite: "/srv/a-b.db", "may change": true },
    { postgres: "db:5432/harbour", user: "reader", password: "[=dbPassword]", tls: "verify" },
  ])
    assert.deepEqual(source.readDatabase(source.databaseText(document)), document);
  assert.match(source.readDatabase("somewhere"), /Write it as/);
});

test("conditions of a look-up are read as they are written", () => {
  const where = { id: "[=portCallId]", metres: { above: 90, "at most": 120 }, state: { absent: true }, "net price": 5, name: { "is one of": ["a", "b"] }, code: "7" };
  assert.deepEqual(lookup.readConditions(lookup.conditionLines(where)), where);
  assert.match(lookup.readConditions("id"), /Write it as/);
  assert.match(lookup.readConditions("id above"), /a value is missing/);
  assert.deepEqual(lookup.readColumns(lookup.columnLines({ a: "$.b[?@.c == 1]", "b c": "'fixed'" })), { a: "$.b[?@.c == 1]", "b c": "'fixed'" });
  assert.match(lookup.readColumns("verdict"), /Write it as/);
});

test("columns go into a request by the names of its fields", () => {
  const step = {
    key: "a", request: "Ask", send: "POST /a", query: { size: "3" },
    json: '{ "vessel": "Saltwife", "berth": { "length_metres": 12 }, "nights": "[=row.nights]" }',
  };
  const found = columns.byName(step, ["vessel", "Length (metres)", "nights", "size", "nobody"]);
  assert.deepEqual(found.columns, ["vessel", "Length (metres)", "size"]);
  const made = found.change({ steps: [step] }).steps[0];
  assert.equal(made.json, "{ \"vessel\": \"[=row.vessel]\", \"berth\": { \"length_metres\": \"[=row.'Length (metres)']\" }, \"nights\": \"[=row.nights]\" }");
  assert.deepEqual(made.query, { size: "[=row.size]" });
  assert.equal(columns.referenceTo("number"), "[=row.'number']");
  assert.equal(columns.referenceTo("it's"), "[=row.'it''s']");
});

test("fields of an answer are expected to be the columns of their names", () => {
  const answer = { vessel: "x", fee: { total: 3 }, lines: [{ total: 1 }] };
  assert.deepEqual(columns.expectedByName(answer, ["vessel", "expected total", "Status", "else"], []), [
    { of: "$.vessel", is: "[=row.vessel]" }, { of: "$.fee.total", is: "[=row.'expected total']" }, { of: "status", is: "[=row.Status]" },
  ]);
  assert.deepEqual(columns.expectedByName(answer, ["vessel"], [{ of: "$.vessel", is: "[=row.vessel]" }]), []);
  assert.deepEqual(columns.expectedByName([{ state: "a" }], ["state"], []), [{ of: "$[0].state", is: "[=row.state]" }]);
});

test("the fields of a request that stand written out could be columns", () => {
  const step = { json: '{ "a": 1, "b": { "a": "x, \\"y\\"" }, "c": "[=d]", "e": 1.50, "f": true }', query: { q: "z" } };
  const found = columns.markable(step);
  assert.deepEqual(found.map((field) => [field.name, field.kind]), [["q", "text"], ["a", "integer"], ["a (2)", "text"], ["e", "number"], ["f", "boolean"]]);
  const put = found.reduce((of, field) => field.put(of, columns.referenceTo(field.name)), step);
  assert.equal(put.json, "{ \"a\": \"[=row.a]\", \"b\": { \"a\": \"[=row.'a (2)']\" }, \"c\": \"[=d]\", \"e\": \"[=row.e]\", \"f\": \"[=row.f]\" }");
  assert.equal(columns.csvOf([{ name: "a", value: "1.50" }, { name: "b, c", value: 'say "x"' }]), 'a,"b, c"\n1.50,"say ""x"""\n');
});
