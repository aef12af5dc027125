import type { ValueCell, ValueChange, ValueRow } from "../../api";

/** The columns of the table: the name, the value everywhere, then a column for each environment. */
export const NAME = 0;
export const EVERYWHERE = 1;

export type Show = "all" | "missing" | "unused" | "secret";

export const keyOf = (row: ValueRow): string => `${row.suite} ${row.name}`;
export const isUnused = (row: ValueRow): boolean => !row.uses && !row.usedByValues;
export const isMissing = (row: ValueRow): boolean => row.cells.some((cell) => cell.missing);

/** The rows that hold what is looked for, in their name, their suite or any of their cells. */
export function found(rows: ValueRow[], text: string, show: Show): ValueRow[] {
  const wanted = text.trim().toLowerCase();
  return rows.filter(
    (row) =>
      (show === "all" ||
        (show === "missing" && isMissing(row)) ||
        (show === "unused" && isUnused(row) && !row.nowhere) ||
        (show === "secret" && row.secret)) &&
      (!wanted ||
        [row.name, row.suiteName, ...row.cells.map((cell) => cell.text)].some((part) =>
          part.toLowerCase().includes(wanted),
        )),
  );
}

/** The text of an empty text, which a new value has. */
export const EMPTY = '""';

/** What a cell opens with: its own text, or that of everywhere where nothing is said. */
export const opened = (row: ValueRow, cell: ValueCell): string => {
  const text = cell.given ? cell.text : cell.environment ? (row.cells[0]?.text ?? "") : "";
  return row.secret || text === EMPTY ? "" : text;
};

/** The text of a cell as it is copied; that of a secret is nowhere. */
export const textOf = (row: ValueRow, column: number): string =>
  column === NAME ? row.name : (row.cells[column - 1]?.text ?? "");

/** What typing into a cell does: an empty one says nothing any more. */
export function typed(row: Pick<ValueRow, "suite" | "name">, environment: string, text: string): ValueChange {
  const place = { suite: row.suite, name: row.name, environment };
  return text === "" ? { kind: "clear", ...place } : { kind: "put", ...place, text };
}

/**
 * A block from a spreadsheet. Under headings (a first row that begins with “name”) each column goes to the environment that it names, and
 * each row to the value that it names; without them cells go where they are pasted, a first column of names where that is the table's.
 * `suite`: where new names go. Gives the changes and what could not be placed.
 */
export function pasted(
  block: string[][],
  rows: ValueRow[],
  at: { row: number; column: number },
  environments: string[],
  suite: string,
): { changes: ValueChange[]; said: string } {
  const heads = headings(block[0] ?? [], environments);
  if (!heads && at.column !== NAME) return { changes: inPlace(block, rows, at, environments), said: "" };
  const body = heads ? block.slice(1) : block;
  const columns = heads?.columns ?? ["", ...environments];
  const changes: ValueChange[] = [];
  for (const line of body) {
    const name = line[0]?.trim() ?? "";
    if (!name) continue;
    const row = rows.find((item) => item.name === name && !item.nowhere) ?? { suite, name };
    line.slice(1).forEach((text, index) => {
      const environment = columns[index];
      if (environment !== undefined && text !== "") changes.push(typed(row, environment, text));
    });
  }
  const unknown = heads?.unknown ?? [];
  const said = unknown.length ? `${unknown.join(", ")}: no such environment here, so this was left out.` : "";
  return { changes, said };
}

function headings(line: string[], environments: string[]) {
  if (line[0]?.trim().toLowerCase() !== "name" || line.length < 2) return undefined;
  const unknown: string[] = [];
  const columns = line.slice(1).map((head) => {
    const word = head.trim().toLowerCase();
    if (word === "everywhere") return "";
    const environment = environments.find((name) => name.toLowerCase() === word);
    if (environment === undefined && word) unknown.push(head.trim());
    return environment;
  });
  return { columns, unknown };
}

function inPlace(
  block: string[][],
  rows: ValueRow[],
  at: { row: number; column: number },
  environments: string[],
): ValueChange[] {
  const columns = ["", ...environments];
  return block.flatMap((line, down) => {
    const row = rows[at.row + down];
    if (!row) return [];
    return line.flatMap((text, along) => {
      const environment = columns[at.column - 1 + along];
      const before = row.cells[at.column - 1 + along];
      return environment === undefined || (before && !row.secret && before.text === text && before.given)
        ? []
        : [typed(row, environment, text)];
    });
  });
}

/** The rows with changes that are under way, as they will read. */
export function changed(rows: ValueRow[], changes: ValueChange[], environments: string[]): ValueRow[] {
  const byKey = new Map<string, ValueChange[]>();
  for (const change of changes) {
    const key = `${change.suite ?? ""} ${change.name}`;
    byKey.set(key, [...(byKey.get(key) ?? []), change]);
  }
  const after = rows.flatMap((row) => {
    const own = byKey.get(keyOf(row));
    if (!own) return [row];
    byKey.delete(keyOf(row));
    const next = own.reduce<ValueRow | undefined>(changedRow, { ...row, nowhere: false });
    return next ? [next] : [];
  });
  for (const own of byKey.values()) {
    const first = own[0];
    const next = first && own.reduce<ValueRow | undefined>(changedRow, emptyRow(first, environments));
    if (next) after.splice(placeFor(next, after), 0, next);
  }
  return after;
}

/** Where a new row stands once it is stored, so that it does not move then: after the others of its suite or of the project. */
function placeFor(row: ValueRow, rows: ValueRow[]): number {
  const last = rows.findLastIndex((other) => other.suite === row.suite && !other.nowhere);
  if (last >= 0) return last + 1;
  const nowhere = rows.findIndex((other) => other.nowhere);
  return nowhere >= 0 ? nowhere : rows.length;
}

const emptyRow = (change: ValueChange, environments: string[]): ValueRow => ({
  suite: change.suite ?? "",
  suiteName: "",
  name: change.name,
  secret: false,
  uses: 0,
  usedByValues: false,
  cases: [],
  nowhere: false,
  cells: ["", ...environments].map((environment) => ({
    environment,
    given: false,
    text: "",
    missing: false,
  })),
});

function changedRow(row: ValueRow | undefined, change: ValueChange): ValueRow | undefined {
  if (!row || change.kind === "remove") return undefined;
  if (change.kind === "hide")
    return { ...row, secret: true, cells: row.cells.map((cell) => ({ ...cell, text: "" })) };
  const given = change.kind === "put" || change.kind === "restore";
  const cells = row.cells.map((cell) =>
    cell.environment === (change.environment ?? "")
      ? { ...cell, given, text: given && !row.secret ? (change.text ?? "") : "" }
      : cell,
  );
  const everywhere = cells[0]?.given ?? false;
  return {
    ...row,
    cells: cells.map((cell) => ({
      ...cell,
      missing: cell.environment !== "" && !everywhere && !cell.given,
    })),
  };
}
