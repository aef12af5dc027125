/** Tables as spreadsheet programs put them on the clipboard: cells between tabs, rows between line ends, a cell that holds either in
 * quotes, a quote in it twice. */

export function readTable(text: string): string[][] {
  const rows: string[][] = [];
  let row: string[] = [];
  let at = 0;
  const source = text.replace(/\r\n?/g, "\n").replace(/\n$/, "");
  while (at <= source.length) {
    const [cell, next] = source[at] === '"' ? quoted(source, at) : plain(source, at);
    row.push(read(cell));
    if (source[next] !== "\t") {
      rows.push(row);
      row = [];
    }
    at = next + 1;
  }
  return rows;
}

function plain(source: string, at: number): [string, number] {
  const found = /[\t\n]/g;
  found.lastIndex = at;
  const end = found.exec(source)?.index ?? source.length;
  return [source.slice(at, end), end];
}

/** A cell in quotes; one that only begins with a quote is read as it stands. */
function quoted(source: string, at: number): [string, number] {
  const found = /"((?:[^"]|"")*)"(?=[\t\n]|$)/y;
  found.lastIndex = at;
  const cell = found.exec(source);
  return cell ? [(cell[1] as string).replaceAll('""', '"'), found.lastIndex] : plain(source, at);
}

export const writeTable = (rows: string[][]): string =>
  rows.map((row) => row.map(written).join("\t")).join("\n");

/** What a spreadsheet program would take for a formula gets an apostrophe before it, as these programs write it themselves. */
const FORMULA = /^'*[=+@-]/;
const NUMBER = /^[+-]?\d+(\.\d+)?$/;

const written = (cell: string): string => {
  const safe = FORMULA.test(cell) && !NUMBER.test(cell) ? `'${cell}` : cell;
  return /[\t\n"]/.test(safe) ? `"${safe.replaceAll('"', '""')}"` : safe;
};

const read = (cell: string): string => (/^'+[=+@-]/.test(cell) ? cell.slice(1) : cell);
