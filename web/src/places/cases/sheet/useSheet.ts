import { type ClipboardEvent, type KeyboardEvent, useCallback, useEffect, useMemo, useState } from "react";
import { api, type Case, type StepEvidence } from "../../../app/api";
import { count } from "../../../app/format";
import { useDraft } from "../../../parts/typing/drafts";
import { useEdited } from "../edit/context";
import {
  type Area,
  areaOf,
  COLUMNS,
  EDITED,
  moved,
  newRow,
  pastedRows,
  put,
  type Row,
  removed,
  rowsOf,
  stepNamed,
  textsIn,
  untouched,
  type Waiting,
  type Wanted,
} from "./sheet";
import { readTable, writeTable } from "./table";

/** The sheet of a case: its rows, the chosen cells, and what keys and the clipboard do to them. */
export function useSheet(of: Case, evidence: Map<string, StepEvidence>) {
  const { editing } = useEdited();
  const draft = useDraft("rows of the sheet");
  const [waiting, setWaiting] = useState<Waiting[]>(() => kept(draft.text));
  const [at, setAt] = useState<[number, number]>([0, 1]);
  const [anchor, setAnchor] = useState<[number, number]>([0, 1]);
  const [typing, setTyping] = useState<string>();
  const [said, setSaid] = useState("");
  const [newKey, setNewKey] = useState("");
  const [sent, setSent] = useState<ReadonlyMap<string, Row["cells"]>>(new Map());
  const rows = useMemo(() => {
    const last = newRow(of, newKey);
    const known = rowsOf(of, evidence, waiting).map((row) => {
      const cells = sent.get(row.id);
      return cells ? { ...row, cells, verdict: undefined } : row;
    });
    return [...known, ...(last ? [last] : [])];
  }, [of, evidence, waiting, newKey, sent]);
  // What was sent is shown until the case comes back with it.
  // biome-ignore lint/correctness/useExhaustiveDependencies: a case that comes back
  useEffect(() => setSent(new Map()), [of.version]);
  const area: Area = areaOf(anchor, at);
  const active = rows[Math.min(at[0], rows.length - 1)];

  const wait = useCallback(
    (next: Waiting[]) => {
      setWaiting(next);
      if (next.length) draft.keep(JSON.stringify(next));
      else draft.forget();
    },
    [draft],
  );
  const move = useCallback((row: number, column: number, extend = false) => {
    setAt([row, column]);
    if (!extend) setAnchor([row, column]);
  }, []);

  /** Read the rows; those that say a check are put in their places by one edit, the others wait with the reason. */
  const take = useCallback(
    async (wanted: Wanted[]) => {
      if (!wanted.length) return;
      setSent((before) => new Map([...before, ...wanted.map((row) => [row.id, row.cells] as const)]));
      try {
        const read = await api.readSheet(
          of.id,
          wanted.map(({ key, cells }) => ({
            step: key,
            of: cells.of,
            relation: cells.relation,
            expected: cells.expected,
          })),
        );
        const good = wanted.flatMap((row, index) => {
          const shown = sent.has(row.id) ? undefined : rows.find((item) => item.id === row.id);
          const check = untouched(shown, row) ?? read[index]?.check;
          return check ? [{ row, check }] : [];
        });
        const taken = new Set(good.map((item) => item.row));
        const bad = wanted.flatMap((row, index) =>
          taken.has(row) ? [] : [{ ...row, problem: read[index]?.problem ?? "" }],
        );
        const problem = good.length ? await editing.apply(put(good)) : undefined;
        if (problem || !good.length) setSent(new Map());
        const done = new Set([...good.map((item) => item.row.id), ...bad.map((item) => item.id)]);
        wait([...waiting.filter((item) => !done.has(item.id)), ...(problem ? [] : bad)]);
        setSaid(problem ?? summary(good.length, bad.length));
      } catch (wrong) {
        setSaid((wrong as Error).message);
      }
    },
    [of.id, editing, waiting, wait, rows, sent],
  );

  /** What was typed into the active cell. */
  const write = (text: string) => {
    setTyping(undefined);
    const column = COLUMNS[at[1]];
    if (!active || !column || text === active.cells[column]) return;
    if (column === "step") return toStep(active, text);
    const cells = { ...active.cells, [column]: text };
    if (active.id === "new" && ![cells.of, cells.relation, cells.expected].some((cell) => cell.trim()))
      return;
    const id = active.id === "new" ? `new.${crypto.randomUUID()}` : active.id;
    void take([{ id, key: active.key, index: active.index, stored: active.stored, cells }]);
  };

  /** A row goes to the step that is typed into its step cell. */
  const toStep = (row: Row, text: string) => {
    const key = stepNamed(of, text);
    if (!key) return setSaid(`There is no request ${text}; name one by its number.`);
    if (row.id === "new") return setNewKey(key);
    if (row.index >= 0) void editing.apply(moved(row, key));
    else wait(waiting.map((item) => (item.id === row.id ? { ...item, key } : item)));
  };

  const remove = () => {
    const chosen = rows.slice(area.top, area.bottom + 1).filter((row) => row.id !== "new");
    const ids = new Set(chosen.map((row) => row.id));
    wait(waiting.filter((item) => !ids.has(item.id)));
    const stored = chosen.filter((row) => row.index >= 0);
    if (stored.length) void editing.apply(removed(stored));
    setSaid(
      `${count(chosen.length, "row")} deleted; Undo brings ${chosen.length === 1 ? "it" : "them"} back.`,
    );
  };

  /** The first chosen row's cells in all chosen ones. */
  const fillDown = () => {
    const top = rows[area.top];
    const columns = COLUMNS.slice(area.left, area.right + 1).filter(
      (name) => EDITED.includes(name) && name !== "step",
    );
    if (!top || area.top === area.bottom) return;
    void take(
      rows
        .slice(area.top + 1, area.bottom + 1)
        .filter((row) => row.id !== "new")
        .map((row) => ({
          ...row,
          cells: { ...row.cells, ...Object.fromEntries(columns.map((name) => [name, top.cells[name]])) },
        })),
    );
  };

  const keys = (event: KeyboardEvent) => {
    if (typing !== undefined) return;
    const go: Record<string, [number, number]> = {
      ArrowDown: [1, 0],
      ArrowUp: [-1, 0],
      ArrowRight: [0, 1],
      ArrowLeft: [0, -1],
      PageDown: [20, 0],
      PageUp: [-20, 0],
    };
    const by = go[event.key];
    const ctrl = event.ctrlKey || event.metaKey;
    const inside = (row: number, column: number): [number, number] => [
      Math.max(0, Math.min(rows.length - 1, row)),
      Math.max(0, Math.min(COLUMNS.length - 1, column)),
    ];
    if (by && !event.altKey) move(...inside(at[0] + by[0], at[1] + by[1]), event.shiftKey);
    else if (event.key === "Home") move(...inside(ctrl ? 0 : at[0], 0), event.shiftKey);
    else if (event.key === "End")
      move(...inside(ctrl ? rows.length - 1 : at[0], COLUMNS.length - 1), event.shiftKey);
    else if (ctrl && event.key.toLowerCase() === "a") {
      setAnchor([0, 0]);
      setAt([rows.length - 1, COLUMNS.length - 1]);
    } else if (ctrl && event.key.toLowerCase() === "d") fillDown();
    else if (event.key === "Delete") remove();
    else if ((event.key === "Enter" && !ctrl) || event.key === "F2") begin();
    else if (event.key.length === 1 && !ctrl && !event.altKey) begin(event.key);
    else return;
    event.preventDefault();
    event.stopPropagation();
  };
  const begin = (text?: string) => {
    const column = COLUMNS[at[1]];
    if (active && column && EDITED.includes(column)) setTyping(text ?? active.cells[column]);
  };
  const copy = (event: ClipboardEvent) => {
    if (typing !== undefined) return;
    event.preventDefault();
    event.clipboardData.setData("text/plain", writeTable(textsIn(rows, area)));
    setSaid(`${count(area.bottom - area.top + 1, "row")} copied.`);
  };
  const paste = (event: ClipboardEvent) => {
    if (typing !== undefined) return;
    event.preventDefault();
    const table = readTable(event.clipboardData.getData("text/plain"));
    void take(pastedRows(rows, area.top, area.left, table, of));
  };
  return { rows, at, area, active, typing, setTyping, said, move, begin, write, keys, copy, paste };
}

/** The rows that waited when the page was left; what cannot be read any more is none. */
function kept(text: string | undefined): Waiting[] {
  try {
    return JSON.parse(text ?? "[]") as Waiting[];
  } catch {
    return [];
  }
}

function summary(good: number, bad: number): string {
  if (!bad) return good > 1 ? `${count(good, "row")} read.` : "";
  return `${count(good, "row")} read; ${count(bad, "row waits", "rows wait")}, marked, for what is wrong to be mended.`;
}
