import type { SheetTable } from "../../../api";

/** What a column of a team's workbook can be, each in words. */
export const MEANINGS: [column: string, words: string][] = [
  ["", "nothing here"],
  ["case", "the case"],
  ["step", "the step"],
  ["method", "the method"],
  ["address", "the address"],
  ["headers", "the headers"],
  ["body", "the body"],
  ["of", "what is checked"],
  ["relation", "the relation"],
  ["expected", "what is expected"],
  ["note", "the note"],
  ["mark", "off or advice"],
  ["verdict", "the verdict (not read)"],
  ["was", "what it was (not read)"],
];
export const OF = "expected of ";

/** How a table is read: where its headings stand, what its columns are, and cells that were mended here. */
export interface Reading {
  headings: number;
  columns: string[];
  /** By row and column of the table. */
  mended: { [place: string]: string };
  /** The case of rows that name none. */
  otherwise: string;
}

/** Another meaning for one column; a meaning that another column had is taken from it. */
export function meaning(columns: string[], at: number, means: string): string[] {
  return columns.map((old, place) => (place === at ? means : means && old === means ? "" : old));
}

/** The rows below the headings, every one as wide as the columns, with what was mended. */
export function rowsBelow(sheet: SheetTable, reading: Reading): string[][] {
  return sheet.table
    .slice(reading.headings + 1)
    .map((row, at) =>
      reading.columns.map(
        (_column, place) => reading.mended[`${reading.headings + 1 + at} ${place}`] ?? row[place] ?? "",
      ),
    );
}

/** Which cell of the row a fault is in: the one of its column, else the first that is read. */
export function placeOf(columns: string[], column: string): number {
  const found = columns.indexOf(column);
  return found >= 0 ? found : columns.findIndex((item) => item !== "");
}
