import { type ClipboardEvent, useLayoutEffect, useRef } from "react";
import type { ValueChange, ValueRow } from "../../api";
import { readTable, writeTable } from "../../parts/grid/table";
import { useGrid } from "../../parts/grid/useGrid";
import { EMPTY, EVERYWHERE, keyOf, NAME, opened, pasted, textOf, typed } from "./values";

interface Props {
  rows: ValueRow[];
  environments: string[];
  /** Where a new value goes: a suite's id, or empty for the project. */
  suite: string;
  apply: (changes: ValueChange[]) => Promise<void>;
  /** Another name, everywhere. */
  rename: (row: ValueRow, to: string) => Promise<void>;
  say: (sentence: string) => void;
}

/** The table of values as a grid: the last row is for a new one. */
export function useValueGrid({ rows, environments, suite, apply, rename, say }: Props) {
  const places = ["", ...environments];
  const open = (index: number, column: number): string | undefined => {
    const row = rows[index];
    if (!row) {
      if (column !== NAME) say("Name the new value first.");
      return column === NAME ? "" : undefined;
    }
    if (column !== NAME) {
      const cell = row.cells[column - 1];
      return cell ? opened(row, cell) : "";
    }
    if (!row.nowhere) return row.name;
    say("Type what it reads as into one of its cells.");
    return undefined;
  };
  const chosen = () => rows.slice(grid.area.top, grid.area.bottom + 1);
  const clear = () => {
    if (grid.area.left === NAME) {
      say("To take a value away, use the words below the table.");
      return;
    }
    const columns = places.slice(grid.area.left - 1, grid.area.right);
    const changes = chosen().flatMap((row) =>
      columns
        .filter((environment) => row.cells.some((cell) => cell.environment === environment && cell.given))
        .map((environment) => typed(row, environment, "")),
    );
    void apply(changes);
  };
  const fillDown = () => {
    const top = rows[grid.area.top];
    if (!top || top.secret || grid.area.top === grid.area.bottom) return;
    const columns = places.slice(Math.max(grid.area.left, EVERYWHERE) - 1, grid.area.right);
    const text = (environment: string) =>
      top.cells.find((cell) => cell.environment === environment)?.text ?? "";
    void apply(
      chosen()
        .slice(1)
        .flatMap((row) => columns.map((environment) => typed(row, environment, text(environment)))),
    );
  };
  const grid = useGrid({
    rows: rows.length + 1,
    columns: environments.length + 2,
    begins: [0, EVERYWHERE],
    open,
    fillDown,
    remove: clear,
  });
  // Rows come, go and change places while one types: the chosen cells stay those of the same values.
  const before = useRef(rows);
  useLayoutEffect(() => {
    const old = before.current;
    before.current = rows;
    if (old === rows) return;
    const now = (index: number): number => {
      const row = old[index];
      if (!row) return old.length && index === old.length ? rows.length : index;
      const found = rows.findIndex((item) => keyOf(item) === keyOf(row));
      return found < 0 ? index : found;
    };
    const { at, area } = grid;
    const row = old[at[0]];
    if (grid.typing !== undefined && row && !rows.some((item) => keyOf(item) === keyOf(row))) {
      grid.setTyping(undefined);
      say(`${row.name} is not there any more.`);
    } else if ([at[0], area.top, area.bottom].some((index) => now(index) !== index))
      grid.moved(([index, column]) => [now(index), column]);
  }, [rows, grid, say]);
  const write = (text: string) => {
    grid.setTyping(undefined);
    const [index, column] = grid.at;
    const row = rows[index];
    if (column === NAME) return named(row, text.trim());
    const cell = row?.cells[column - 1];
    if (!row || !cell) return;
    const same = text === opened(row, cell) && !row.secret;
    if (!same && !(row.secret && text === "")) void apply([typed(row, cell.environment, text)]);
  };
  const named = (row: ValueRow | undefined, name: string) => {
    if (!name || name === row?.name) return;
    if (rows.some((item) => item.name === name && item.suite === (row?.suite ?? suite) && !item.nowhere))
      return say(`There is a value ${name} already.`);
    if (!row) return void apply([{ kind: "put", suite, name, environment: "", text: EMPTY }]);
    void rename(row, name);
  };
  const copy = (event: ClipboardEvent) => {
    if (grid.typing !== undefined) return;
    event.preventDefault();
    const { left, right } = grid.area;
    const lines = chosen().map((row) =>
      Array.from({ length: right - left + 1 }, (_, index) => textOf(row, left + index)),
    );
    event.clipboardData.setData("text/plain", writeTable(lines));
    if (chosen().some((row) => row.secret)) say("Copied; what a secret reads as is nowhere.");
  };
  const paste = (event: ClipboardEvent) => {
    if (grid.typing !== undefined) return;
    event.preventDefault();
    const block = readTable(event.clipboardData.getData("text/plain"));
    const at = { row: grid.area.top, column: grid.area.left };
    const read = pasted(block, rows, at, environments, suite);
    void apply(read.changes).then(() => read.said && say(read.said));
    if (!read.changes.length) say(read.said || "There is nothing in this block that would change anything.");
  };
  return { ...grid, write, copy, paste };
}
