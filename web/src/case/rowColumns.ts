import type { Case } from "../api";
import { isFields, type Json, writeExact } from "../base/exact";
import { fieldOf, fieldsOn } from "../base/places";
import type { Change, CheckDocument, StepDocument } from "./document";
import { inStep } from "./document";
import { leavesOf } from "./requestTexts";

/** `lengthMetres`, `length_metres` and `Length (metres)` are one name; a column of what is expected may say so. */
export const plain = (name: string): string => name.toLowerCase().replace(/[^\p{L}\p{N}]/gu, "");
const expectedName = (column: string): string => plain(column.replace(/^expect(ed)?\b/i, ""));

const RESERVED = ["number"];

/** The reference to a column. */
export function referenceTo(column: string): string {
  const bare = /^\p{L}[\p{L}\d_-]*$/u.test(column) && !RESERVED.includes(column);
  return `[=row.${bare ? column : `'${column.replaceAll("'", "''")}'`}]`;
}

/** Whether a text refers to the column, with or without its scope. */
const refersTo = (text: string, column: string): boolean =>
  text.includes(referenceTo(column)) || text.includes(`[=${column}]`) || text.includes(`[=row.${column} `);

const lastField = (path: string): string => fieldsOn(path).at(-1) ?? "";

/** The columns that a request could take by the names of its fields, parameters and form fields, and the change that puts them in. */
export function byName(step: StepDocument, columns: string[]): { columns: string[]; change: Change } {
  const taken: string[] = [];
  let next: StepDocument = step;
  for (const column of columns) {
    const before = next;
    next = withColumn(next, column);
    if (next !== before) taken.push(column);
  }
  return { columns: taken, change: inStep(step.key as string, () => next) };
}

function withColumn(step: StepDocument, column: string): StepDocument {
  let made = step;
  const name = plain(column);
  for (const field of ["query", "form"]) {
    const pairs = made[field];
    if (!isFields(pairs)) continue;
    const hit = Object.keys(pairs).find(
      (key) => plain(key) === name && !refersTo(String(pairs[key]), column),
    );
    if (hit) made = { ...made, [field]: { ...pairs, [hit]: referenceTo(column) } };
  }
  const body = made.json;
  const leaf = leavesOf(body).find(
    (item) => plain(lastField(item.path)) === name && !refersTo(item.value, column),
  );
  if (!leaf) return made;
  return { ...made, json: leaf.with(`"${referenceTo(column)}"`) };
}

/** Checks that fields of an answer are what the columns of their names say, of those that no check watches yet. */
export function expectedByName(answer: Json, columns: string[], checks: CheckDocument[]): CheckDocument[] {
  const places = new Map<string, string>();
  walk(answer, "$", "", places);
  return columns.flatMap((column) => {
    const name = expectedName(column);
    const of = name === "status" ? "status" : places.get(name);
    if (!of || checks.some((check) => check.of === of && JSON.stringify(check).includes("[=row."))) return [];
    return [{ of, is: referenceTo(column) }];
  });
}

const MOST_LEVELS = 8;

/** The paths of an answer's values by their names, outermost first; items of lists are left out. */
function walk(value: Json, path: string, name: string, into: Map<string, string>): void {
  if (isFields(value)) {
    if (path.split(/[.[]/).length > MOST_LEVELS) return;
    const entries = Object.entries(value);
    for (const [key, inner] of entries)
      if (!isFields(inner) && !Array.isArray(inner) && !into.has(plain(key)))
        into.set(plain(key), fieldOf(path, key));
    for (const [key, inner] of entries) if (isFields(inner)) walk(inner, fieldOf(path, key), key, into);
  } else if (Array.isArray(value) && name === "" && isFields(value[0])) {
    walk(value[0], `${path}[0]`, "0", into); // the first row of a look-up
  }
}

/** A field of a request that could become a column: its name, its present value as a cell, and the request with a column in its place. */
export interface Markable {
  name: string;
  value: string;
  kind: string;
  put: (step: StepDocument, reference: string) => StepDocument;
}

/** The fields of a request's JSON body, its parameters and its form fields that stand written out. */
export function markable(step: StepDocument): Markable[] {
  const found: Markable[] = [];
  for (const field of ["query", "form"]) {
    const pairs = step[field];
    if (!isFields(pairs)) continue;
    for (const [name, value] of Object.entries(pairs))
      if (!String(value).includes("[="))
        found.push({
          name,
          value: String(value),
          kind: "text",
          put: (of, reference) => ({ ...of, [field]: { ...(of[field] as object), [name]: reference } }),
        });
  }
  for (const leaf of leavesOf(step.json)) {
    if (leaf.value.includes("[=")) continue;
    found.push({
      name: lastField(leaf.path) || leaf.path,
      value: leaf.value.replace(/^"(.*)"$/s, "$1"),
      kind: kindOf(leaf.value),
      put: (of, reference) => {
        const again = leavesOf(of.json).find((item) => item.path === leaf.path);
        return again ? { ...of, json: again.with(`"${reference}"`) } : of;
      },
    });
  }
  return distinct(found);
}

function kindOf(text: string): string {
  if (/^-?\d+$/.test(text)) return "integer";
  if (/^-?\d/.test(text)) return /^-?\d+(\.\d+)?([eE][+-]?\d+)?$/.test(text) ? "number" : "text";
  return text === "true" || text === "false" ? "boolean" : "text";
}

/** Names that stand twice get a number. */
function distinct(found: Markable[]): Markable[] {
  const seen = new Map<string, number>();
  return found.map((item) => {
    const times = (seen.get(item.name) ?? 0) + 1;
    seen.set(item.name, times);
    return times > 1 ? { ...item, name: `${item.name} (${times})` } : item;
  });
}

/** A CSV file of one row. */
export function csvOf(fields: { name: string; value: string }[]): string {
  const cell = (text: string) => (/[",\n\r]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text);
  return `${fields.map((field) => cell(field.name)).join(",")}\n${fields.map((field) => cell(field.value)).join(",")}\n`;
}

const WORDS: Record<string, string> = {
  written: "those written out here",
  made: "rows that are made here",
  combined: "values combined here",
  output: "an output table",
};

/** What rows that no source of the project has are called. */
export function rowsSaid(said: Json | undefined, found: Case["rows"]): string {
  if (isFields(said) && typeof said["items of"] === "string")
    return `the items of ${said["items of"].replace(/^\[=(kept\.)?|\]$/g, "")}`;
  if (isFields(said) && said.in !== undefined)
    return `${String(said["rows of"] ?? "a statement")} in ${String(said.in)}`;
  return found?.file || WORDS[found?.kind ?? ""] || "a source";
}

/** Rows that stand written out in the case, if a file could have them: there a reference would be text, and an object several columns. */
export function writtenOut(rows: Json | undefined): Json[] | undefined {
  const held = isFields(rows) ? rows.rows : rows;
  if (!Array.isArray(held) || !held.length || writeExact(held).includes("[=")) return undefined;
  const flat = held.every(
    (row) => isFields(row) && !Object.values(row).some((cell) => isFields(cell) || Array.isArray(cell)),
  );
  return flat ? held : undefined;
}

/** A case's rows from another source; which of them are meant stays. */
export function withSource(rows: Json | undefined, source: string): Json {
  const pick = typeof rows === "object" && rows && "pick" in rows ? (rows as { pick: Json }).pick : undefined;
  return pick ? { source, pick } : source;
}

/** A case's rows with others of them meant; all, where nothing is picked. */
export function withPick(rows: Json | undefined, pick: string): Json {
  const held =
    typeof rows === "string" ? { source: rows } : Array.isArray(rows) ? { rows } : { ...(rows as object) };
  const { pick: _, ...rest } = held as { pick?: Json; [key: string]: Json | undefined };
  if (pick) return { ...rest, pick } as Json;
  return Object.keys(rest).length === 1 && rest.source !== undefined ? rest.source : (rest as Json);
}
