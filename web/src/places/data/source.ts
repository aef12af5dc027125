import type { DataSource, SourceDocument, SourceFrame } from "../../api";
import { isFields, type Json, readTyped, writeExact } from "../../base/exact";
import { count, listed } from "../../base/format";
import { NO_DATABASE, UNNAMED } from "../../case/lookup";

export const FILES = ".csv,.tsv,.txt,.xlsx,.xlsm,.json,.jsonl,.ndjson";
export const KINDS = ["text", "number", "integer", "boolean", "date", "date-time", "list", "object"];
const FEW_COLUMNS = 5;

/** Where the rows of a source come from, in a few words. */
export function whence(source: DataSource): string {
  if (source.kind === "file") return source.sheet ? `${source.sheet} in ${source.file}` : source.file;
  if (source.kind === "made") return `${count(Number(source.document.make), "row")} made of generators`;
  if (source.kind === "combined") return `${combined(source.document.combine)} of its columns’ values`;
  if (source.kind === "output") return `the output table ${String(source.document["output table"])}`;
  if (source.kind === "database")
    return `${String(source.document["rows of"] ?? "a statement")} in the database ${String(source.document.in)}`;
  return "rows that are written out";
}

export function combined(how: Json | undefined): string {
  if (how === "pairwise") return "as few rows as hold every pair";
  if (isFields(how)) return `${count(Number(how.sample), "drawn combination")}`;
  return "every combination";
}

export function columnsSaid(names: string[]): string {
  if (!names.length) return "columns that are known when it runs";
  const few = names.slice(0, FEW_COLUMNS);
  const more = names.length - few.length;
  return `the ${names.length === 1 ? "column" : "columns"} ${more ? `${few.join(", ")} and ${more} more` : listed(few)}`;
}

/** The document with a key said, or left to be found. */
export function saying(document: SourceDocument, key: string, value: Json | undefined): SourceDocument {
  const { [key]: _, ...rest } = document;
  return value === undefined || value === "" ? rest : { ...rest, [key]: value };
}

/** The document with a column's kind said; empty: as its cells are. */
export function withKind(document: SourceDocument, column: string, kind: string): SourceDocument {
  const { [column]: before, ...others } = isFields(document.columns) ? document.columns : {};
  const mayBeEmpty = isFields(before) && before["may be empty"];
  if (!kind) return saying(document, "columns", Object.keys(others).length ? others : undefined);
  const said: Json = mayBeEmpty ? { kind, "may be empty": true } : kind;
  const columns =
    before === undefined
      ? { ...others, [column]: said }
      : { ...(document.columns as object), [column]: said };
  return { ...document, columns };
}

/** The document with a column's empty cells as nothing, or as a row that does not fit. */
export function withEmpty(document: SourceDocument, column: string, mayBe: boolean): SourceDocument {
  const columns = isFields(document.columns) ? document.columns : {};
  const said = columns[column];
  const kind = (isFields(said) ? said.kind : said) ?? "text";
  return { ...document, columns: { ...columns, [column]: mayBe ? { kind, "may be empty": true } : kind } };
}

export function mayBeEmpty(document: SourceDocument, column: string): boolean {
  const said = isFields(document.columns) ? document.columns[column] : undefined;
  return isFields(said) && said["may be empty"] === true;
}

export interface Area {
  top: number;
  left: number;
  bottom: number;
  right: number;
}

export function letters(column: number): string {
  let text = "";
  for (let rest = column; rest > 0; rest = Math.floor((rest - 1) / 26))
    text = String.fromCharCode(65 + ((rest - 1) % 26)) + text;
  return text;
}

/** What a frame that was drawn says: with `names` its first row has the columns' names. One that is drawn to the last row or column
 * that is shown goes on to where the data end. */
export function framing(
  document: SourceDocument,
  area: Area,
  names: boolean,
  shown: { rows: number; columns: number },
): SourceDocument {
  const first = names ? area.top + 1 : area.top;
  const column = area.right >= shown.columns ? "" : letters(area.right);
  const row = area.bottom >= shown.rows ? "" : String(Math.max(area.bottom, first));
  const end = column || row ? `:${column || (row && letters(area.right))}${row}` : "";
  const dataIn = `${letters(area.left)}${first}${end}`;
  return saying(saying(document, "names in", names ? area.top : 0), "data in", dataIn);
}

/** The frame as cells of the preview. */
export function areaOf(frame: SourceFrame, shown: { rows: number; columns: number }): Area {
  return {
    top: frame.row,
    left: frame.column,
    bottom: Math.min(frame.lastRow ?? shown.rows, shown.rows),
    right: Math.min(frame.lastColumn ?? shown.columns, shown.columns),
  };
}

/** Values of a column that is combined, as they are typed: `Fernholm, 3, "a, b"`. */
export function readValues(text: string): Json[] {
  const parts = text.match(/(?:"(?:[^"\\]|\\.)*"|\[=[^\]]*\]|[^,])+/g) ?? [];
  return parts
    .map((part) => part.trim())
    .filter(Boolean)
    .map(readTyped);
}

export function writeValues(values: Json | undefined): string {
  return Array.isArray(values) ? values.map(writeOne).join(", ") : writeOne(values ?? "");
}

export function writeOne(value: Json): string {
  if (typeof value !== "string") return writeExact(value);
  const asTyped = readTyped(value);
  return asTyped === value && !/^\s|\s$|^$|,(?![^[]*\])/.test(value) ? value : writeExact(value);
}

/** A name for a source by the name of its file, which no other has. */
export function sourceName(file: string, taken: string[]): string {
  const stem =
    file
      .replace(/^.*[/\\]/, "")
      .replace(/\.\w+$/, "")
      .trim() || "rows";
  let name = stem;
  for (let number = 2; taken.includes(name); number += 1) name = `${stem} ${number}`;
  return name;
}

/** Whether it is said which rows of which database it has. */
export const isAsked = (document: SourceDocument): boolean =>
  document.in !== NO_DATABASE && document["rows of"] !== UNNAMED;

export const addressOf = (name: string): string => `/data/source?name=${encodeURIComponent(name)}`;

/** Where a database stands, in a line, as it is typed. */
export function databaseText(document: SourceDocument): string {
  const kind = "sqlite" in document ? "sqlite" : "postgres";
  const words = [`${kind} ${String(document[kind] ?? "")}`];
  for (const key of ["user", "password", "tls"])
    if (document[key] !== undefined && document[key] !== false) words.push(`${key} ${String(document[key])}`);
  if (document["may change"] === true) words.push("may change");
  return words.join(" ");
}

export function readDatabase(text: string): SourceDocument | string {
  const found: SourceDocument = {};
  const plain = text.trim();
  const rest = plain.replace(/\s+may change$/i, "");
  if (rest !== plain) found["may change"] = true;
  const words = rest.match(/\[=[^\]]*\]\S*|\S+/g) ?? [];
  for (let at = 0; at + 1 < words.length; at += 2)
    found[(words[at] as string).toLowerCase()] = words[at + 1] as string;
  if (words.length % 2 || !words.length)
    return "Write it as: sqlite PATH, or postgres host:port/name user NAME password [=a secret].";
  return found;
}

/** What was changed from `before` to `after`, made on top of what it has become meanwhile. */
export function onTop(before: SourceDocument, after: SourceDocument, now: SourceDocument): SourceDocument {
  const written = (value: Json | undefined) => (value === undefined ? "" : writeExact(value));
  const found: SourceDocument = {};
  for (const name of Object.keys({ ...now, ...after })) {
    const value = written(before[name]) === written(after[name]) ? now[name] : after[name];
    if (value !== undefined) found[name] = value;
  }
  return found;
}
