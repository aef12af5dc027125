// Rows in the pages: what is typed about sources, look-ups and output tables is read back; columns find their places by name.
import assert from "node:assert/strict";
import { test } from "node:test";
import { fileURLToPath } from "node:url";
import { built } from "./built.mjs";

const { columns, handover, lookup, source } = await built(process.env.WEB, fileURLToPath(new URL("rows.ts", import.meta.url)));

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

test("a case runs over a list that its first step's answer has", () => {
  const list = { key: "a", request: "List", send: "GET /berths" };
  const read = { key: "b", request: "Read", send: "GET /berths/E4" };
  const of = { case: "Each", steps: [list, read] };
  assert.deepEqual(["a", "b"].map((key) => handover.canRunOver(of, key)), [true, false]);
  assert.equal(handover.canRunOver({ case: "Alone", steps: [list] }, "a"), false, "nothing would be left to carry out for an item");
  assert.equal(handover.canRunOver({ ...of, rows: "arrivals" }, "a"), false);
  assert.equal(handover.canRunOver({ shared: "Sign in", steps: [list, read] }, "a"), false);
  const over = handover.overList("a", "berths", "$.items")(of);
  assert.deepEqual(over, {
    case: "Each", rows: { "items of": "[=kept.berths]" }, once: [{ ...list, keep: { berths: "$.items" } }], steps: [read],
  });
  const { rows, ...before } = over;
  assert.equal(handover.canRunOver(before, "a"), true, "it stands before all rows already");
  assert.deepEqual(handover.overList("a", "all", "$.items")(before).once, [{ ...list, keep: { berths: "$.items", all: "$.items" } }]);
  assert.equal(columns.rowsSaid(rows, null), "the items of berths");
});

test("a column is offered the places that hold a value of any of the first rows", () => {
  const step = { key: "b", request: "Read", send: "GET /berths/E4", query: { of: "W1" } };
  const places = (values) => handover.placesFor(step, values).map((place) => place.place);
  assert.deepEqual(places(["E1", "E4", "W1"]).slice(0, 2), ["in the address instead of E4", "in the parameter of"]);
  assert.equal(new Set(places(["E1", "E4", "W1"])).size, places(["E1", "E4", "W1"]).length, "each once");
  assert.deepEqual(places([]), places(["nowhere"]));
});

test("rows that no source of the project has are called by where they come from", () => {
  assert.equal(columns.rowsSaid({ in: "harbour-db", "rows of": "berth" }, { kind: "database" }), "berth in harbour-db");
  assert.equal(columns.rowsSaid({ in: "harbour-db", sql: "select 1" }, { kind: "database" }), "a statement in harbour-db");
  assert.equal(columns.rowsSaid({ file: "data/a.csv" }, { kind: "file", file: "data/a.csv" }), "data/a.csv");
  assert.equal(columns.rowsSaid([{ a: 1 }], { kind: "written", file: "" }), "those written out here");
  assert.equal(source.isAsked({ in: "harbour-db", "rows of": "berth" }), true);
  assert.equal(source.isAsked({ in: "harbour-db", "rows of": "a_table" }), false);
});

test("rows that are written out can become a source where a file has the same", () => {
  assert.deepEqual(columns.writtenOut([{ a: 1, b: "x" }]), [{ a: 1, b: "x" }]);
  assert.deepEqual(columns.writtenOut({ rows: [{ a: null }], pick: "1" }), [{ a: null }]);
  for (const rows of ["arrivals", { file: "a.csv" }, [], [{ a: "[=b]" }], [{ a: { b: 1 } }], [{ a: [1] }], [1], undefined])
    assert.equal(columns.writtenOut(rows), undefined);
});

test("columns and cells of a table that are pressed one right after the other are all taken", () => {
  const names = ["id", "name", "metres"];
  const pressed = (step, ...each) => each.reduce((old, name) => lookup.turningColumn(name, names)(old), step);
  assert.deepEqual(pressed({ key: "a" }, "metres", "id", "name"), { key: "a", columns: names });
  assert.deepEqual(pressed({ key: "a", columns: "id" }, "name"), { key: "a", columns: ["id", "name"] });
  assert.deepEqual(pressed({ key: "a", columns: ["id"] }, "id"), { key: "a" });
  const where = [["id", "E4"], ["state", null], ["id", "E1"]].reduce((old, [name, value]) => lookup.havingValue(name, value)(old), { key: "a" });
  assert.deepEqual(where, { key: "a", where: { id: "E1", state: { absent: true } } });
});
