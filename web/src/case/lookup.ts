import { isFields, type Json, readTyped, writeExact } from "../base/exact";
import { newKey } from "./keys";
import type { StepDocument } from "./types";

/** How conditions of a look-up are typed, a line each: `id = [=portCallId]`, `metres above 90`, `state absent`. */
const RELATIONS = [
  "is none of",
  "is one of",
  "is not",
  "is",
  "at least",
  "at most",
  "above",
  "below",
  "between",
  "contains",
  "starts with",
  "ends with",
  "present",
  "absent",
];
const LINE = new RegExp(`^\\s*(.+?)\\s+(${RELATIONS.join("|")}|=)(?:\\s+(.*))?$`, "s");

export function conditionLines(where: Json | undefined): string {
  if (!isFields(where)) return "";
  return Object.entries(where)
    .flatMap(([column, said]) =>
      isFields(said)
        ? Object.entries(said).map(([relation, value]) =>
            relation === "present" || relation === "absent"
              ? `${column} ${relation}`
              : `${column} ${relation} ${typed(value)}`,
          )
        : [`${column} = ${typed(said)}`],
    )
    .join("\n");
}

const typed = (value: Json): string =>
  typeof value === "string" && readTyped(value) === value && value.trim() === value && value
    ? value
    : writeExact(value);

/** The conditions that lines say, or what is wrong with one. */
export function readConditions(text: string): { [column: string]: Json } | string {
  const found: { [column: string]: Json } = {};
  for (const line of text.split("\n").filter((item) => item.trim())) {
    const [, column, relation, value = ""] = LINE.exec(line) ?? [];
    if (!column || !relation) return `Write it as: column = value, or column above 90. Found: ${line.trim()}`;
    if (relation === "=") found[column] = readTyped(value);
    else {
      const before = found[column];
      const bare = relation === "present" || relation === "absent";
      if (!bare && !value.trim()) return `${column} ${relation}: a value is missing.`;
      found[column] = { ...(isFields(before) ? before : {}), [relation]: bare ? true : readTyped(value) };
    }
  }
  return found;
}

/** What stands for a table, and for a database, that is yet to be chosen. */
export const UNNAMED = "a_table";
export const NO_DATABASE = "a_database";

/** A new look-up of a table. */
export function lookUp(database: string, table: string): StepDocument {
  return {
    "look up": table && table !== UNNAMED ? `Rows of ${table}` : "Look rows up",
    key: newKey(),
    in: database,
    "rows of": table || UNNAMED,
  };
}

/** `look up port_call in harbour-db`, as it may be typed where a step is added. */
export const LOOK_UP = /^\s*look\s*up\s+(\S+)(?:\s+in\s+(.+?))?\s*$/i;

/** Columns of an output table, as they are typed, a line each: `vessel = [=row.vessel]`. */
export function columnLines(columns: Json | undefined): string {
  if (!isFields(columns)) return "";
  return Object.entries(columns)
    .map(([name, of]) => `${name} = ${typeof of === "string" ? of : writeExact(of)}`)
    .join("\n");
}

export function readColumns(text: string): { [name: string]: Json } | string {
  const found: { [name: string]: Json } = {};
  for (const line of text.split("\n").filter((item) => item.trim())) {
    const at = line.indexOf("=");
    const name = line.slice(0, at).trim();
    const of = line.slice(at + 1).trim();
    if (at < 1 || !name || !of) return `Write it as: name = what it is. Found: ${line.trim()}`;
    found[name] = of;
  }
  return found;
}

/** A look-up with one column more, or less; `names`: the order of all. None is wanted: all are. */
export const turningColumn =
  (name: string, names: string[]) =>
  ({ columns, ...rest }: StepDocument): StepDocument => {
    const wanted = Array.isArray(columns) ? columns : columns === undefined ? [] : [columns];
    const next = names.filter((item) => (item === name ? !wanted.includes(item) : wanted.includes(item)));
    return next.length ? { ...rest, columns: next } : rest;
  };

/** A look-up whose rows must have this value there, too. */
export const havingValue =
  (name: string, value: Json) =>
  (step: StepDocument): StepDocument => ({
    ...step,
    where: { ...(isFields(step.where) ? step.where : {}), [name]: value === null ? { absent: true } : value },
  });
