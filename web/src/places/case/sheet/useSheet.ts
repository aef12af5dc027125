import { type ClipboardEvent, useCallback, useEffect, useMemo, useRef, useState } from "react";
import { api } from "../../../api";
import { count } from "../../../base/format";
import type { Change, CheckDocument } from "../../../case/document";
import type { Book } from "../../../case/sheet/book";
import { type Cells, type Column, isEdited, isRequest, REQUEST } from "../../../case/sheet/columns";
import {
  asRequest,
  byCase,
  caseWith,
  isEmpty,
  moved,
  newRow,
  pastedRows,
  put,
  type Row,
  removed,
  rowsOf,
  saysCheck,
  stepNamed,
  textsIn,
  untouched,
  type Waiting,
  type Wanted,
} from "../../../case/sheet/sheet";
import { readTable, writeTable } from "../../../parts/grid/table";
import { useGrid } from "../../../parts/grid/useGrid";
import { useDraft } from "../../../parts/typing/drafts";

type Changes = { id: string; change: Change }[];

/** The sheet of cases: its rows, the chosen cells, and what keys and the clipboard do to them. */
export function useSheet(book: Book, columns: Column[]) {
  const draft = useDraft("rows of the sheet");
  const [waiting, setWaiting] = useState<Waiting[]>(() => kept(draft.text));
  const [said, setSaid] = useState("");
  const [newKey, setNewKey] = useState("");
  const [sent, setSent] = useState<ReadonlyMap<string, Cells>>(new Map());
  const rows = useMemo(() => {
    const last = newRow(book.cases, newKey);
    const known = rowsOf(book.cases, waiting).map((row) => {
      const cells = sent.get(row.id);
      return cells ? { ...row, cells, verdict: undefined } : row;
    });
    return [...known, ...(last ? [last] : [])];
  }, [book.cases, waiting, newKey, sent]);
  const open = (row: number, place: number): string | undefined => {
    const [cell, name] = [rows[row], columns[place]];
    if (!cell || !name || !isEdited(name)) return undefined;
    if (!isRequest(name) || cell.first) return cell.cells[name];
    setSaid("A request is changed in the first row of its step.");
    return undefined;
  };
  const grid = useGrid({
    rows: rows.length,
    columns: columns.length,
    begins: [0, columns.indexOf("of")],
    open,
    fillDown: () => fillDown(),
    remove: () => remove(),
  });
  const { at, area, typing, setTyping, move, begin, keys } = grid;
  // What was sent is shown until the cases come back with it.
  // biome-ignore lint/correctness/useExhaustiveDependencies: cases that come back
  useEffect(() => setSent(new Map()), [book.cases]);
  // Unfolding puts columns between the others; the chosen ones stay the same.
  const shown = useRef(columns);
  useEffect(() => {
    const before = shown.current;
    shown.current = columns;
    const where = ([row, place]: [number, number]): [number, number] => [
      row,
      Math.max(0, columns.indexOf(before[place] ?? "of")),
    ];
    if (before !== columns) grid.moved(where);
  }, [columns, grid.moved]);
  const active = rows[Math.min(at[0], rows.length - 1)];
  const column = columns[Math.min(at[1], columns.length - 1)];

  const wait = useCallback(
    (next: Waiting[]) => {
      setWaiting(next);
      if (next.length) draft.keep(JSON.stringify(next), "");
      else draft.forget();
    },
    [draft],
  );
  /** Read the rows; those that say a check or a request are put in their places by one edit, the others wait with the reason. */
  const take = useCallback(
    async (wanted: Wanted[]) => {
      if (!wanted.length) return;
      setSent((before) => new Map([...before, ...wanted.map((row) => [row.id, row.cells] as const)]));
      const before = new Map(rows.filter((row) => !sent.has(row.id)).map((row) => [row.id, row]));
      try {
        const requests = await readRequests(wanted, rows);
        const checks = wanted.filter((row) => isCheck(row) && !unchanged(before.get(row.id), row));
        const read = await readChecks(checks);
        const good = checks.flatMap((row) => {
          const check = untouched(before.get(row.id), row) ?? read.get(row.id)?.check;
          return check ? [{ ...row, row, check }] : [];
        });
        const taken = new Set(good.map((item) => item.row.id));
        const bad = checks
          .filter((row) => !taken.has(row.id))
          .map((row) => ({ ...row, problem: read.get(row.id)?.problem ?? "" }));
        const changes = [...requests.changes, ...byCase(good, put)];
        const problem = changes.length ? await book.apply(changes) : undefined;
        if (problem || !changes.length) setSent(new Map());
        const done = new Set([...taken, ...bad.map((item) => item.id)]);
        wait([...waiting.filter((item) => !done.has(item.id)), ...(problem ? [] : bad)]);
        setSaid(problem || requests.problem || summary(good.length, bad.length));
      } catch (wrong) {
        setSent(new Map());
        setSaid((wrong as Error).message);
      }
    },
    [book, waiting, wait, rows, sent],
  );

  /** What was typed into the active cell. */
  const write = (text: string) => {
    setTyping(undefined);
    if (!active || !column || text === active.cells[column]) return;
    if (column === "step") return toStep(active, text);
    const cells = { ...active.cells, [column]: text };
    if (isEmpty(active) && !isRequest(column) && !saysCheck(cells)) return;
    const id = isEmpty(active) && !isRequest(column) ? `new.${crypto.randomUUID()}` : active.id;
    void take([{ ...active, id, cells }]);
  };

  /** A row goes to the step that is typed into its step cell. */
  const toStep = (row: Row, text: string) => {
    const key = stepNamed(caseWith(book.cases, row.of), text);
    if (!key) return setSaid(`There is no request ${text}; name one by its number.`);
    if (row.id === "new") return setNewKey(key);
    if (row.index >= 0) void book.apply([{ id: row.of, change: moved(row, key) }]);
    else wait(waiting.map((item) => (item.id === row.id ? { ...item, key } : item)));
  };

  const remove = () => {
    const chosen = rows.slice(area.top, area.bottom + 1).filter((row) => !isEmpty(row));
    const ids = new Set(chosen.map((row) => row.id));
    wait(waiting.filter((item) => !ids.has(item.id)));
    const stored = chosen.filter((row) => row.index >= 0);
    if (stored.length) void book.apply(byCase(stored, removed));
    setSaid(
      `${count(chosen.length, "row")} deleted; Undo brings ${chosen.length === 1 ? "it" : "them"} back.`,
    );
  };

  /** The first chosen row's cells in all chosen ones. */
  const fillDown = () => {
    const top = rows[area.top];
    const names = columns
      .slice(area.left, area.right + 1)
      .filter((name) => isEdited(name) && name !== "step" && !isRequest(name));
    if (!top || area.top === area.bottom || !names.length) return;
    void take(
      rows
        .slice(area.top + 1, area.bottom + 1)
        .filter((row) => !isEmpty(row))
        .map((row) => ({
          ...row,
          cells: { ...row.cells, ...Object.fromEntries(names.map((name) => [name, top.cells[name]])) },
        })),
    );
  };

  const copy = (event: ClipboardEvent) => {
    if (typing !== undefined) return;
    event.preventDefault();
    event.clipboardData.setData("text/plain", writeTable(textsIn(rows, area, columns)));
    setSaid(`${count(area.bottom - area.top + 1, "row")} copied.`);
  };
  const paste = (event: ClipboardEvent) => {
    if (typing !== undefined) return;
    event.preventDefault();
    const table = readTable(event.clipboardData.getData("text/plain"));
    void take(pastedRows(rows, area.top, area.left, table, book.cases, columns));
  };
  return { rows, at, area, active, typing, setTyping, said, move, begin, write, keys, copy, paste };
}

/** The requests that the rows would have otherwise: as changes, or why one cannot be. */
async function readRequests(wanted: Wanted[], rows: Row[]): Promise<{ changes: Changes; problem: string }> {
  const changes: Changes = [];
  let problem = "";
  for (const row of wanted) {
    const first = rows.find((item) => item.first && item.of === row.of && item.key === row.key);
    const before = rows.find((item) => item.id === row.id) ?? first;
    const cells = Object.fromEntries(
      REQUEST.filter((name) => row.cells[name].trim() && row.cells[name] !== before?.cells[name]).map(
        (name) => [name, row.cells[name]],
      ),
    );
    if (!Object.keys(cells).length) continue;
    const read = await api.readRequestCells(row.of, row.key, cells);
    if (read.step) changes.push({ id: row.of, change: asRequest(row.key, read.step) });
    else problem = read.problem;
  }
  return { changes, problem };
}

/** What the rows say, by their id; each case reads its own. */
async function readChecks(
  wanted: Wanted[],
): Promise<Map<string, { check: CheckDocument | null; problem: string }>> {
  const found = new Map<string, { check: CheckDocument | null; problem: string }>();
  for (const id of new Set(wanted.map((row) => row.of))) {
    const own = wanted.filter((row) => row.of === id);
    const read = await api.readSheet(
      id,
      own.map(({ key, cells: { of, relation, expected } }) => ({ step: key, of, relation, expected })),
    );
    own.forEach((row, index) => {
      const item = read[index];
      if (item) found.set(row.id, item);
    });
  }
  return found;
}

/** Whether a row is to be read as a check: one that is or was, or a new one that says something. */
const isCheck = (row: Wanted): boolean => row.index >= 0 || row.id.startsWith("new.") || saysCheck(row.cells);

/** Whether nothing of a row's check is otherwise, so that only its request is. */
const unchanged = (shown: Row | undefined, wanted: Wanted): boolean =>
  shown !== undefined &&
  shown.index >= 0 &&
  !shown.problem &&
  (["of", "relation", "expected", "note", "mark"] as const).every(
    (name) => shown.cells[name] === wanted.cells[name],
  );

/** The rows that waited when the page was left; what cannot be read any more is none. */
function kept(text: string | undefined): Waiting[] {
  try {
    return (JSON.parse(text ?? "[]") as Waiting[]).filter((item) => item.of && "seen" in item.cells);
  } catch {
    return [];
  }
}

function summary(good: number, bad: number): string {
  if (!bad) return good > 1 ? `${count(good, "row")} read.` : "";
  return `${count(good, "row")} read; ${count(bad, "row waits", "rows wait")}, marked, for what is wrong to be mended.`;
}
