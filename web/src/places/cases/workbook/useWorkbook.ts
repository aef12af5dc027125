import { useCallback, useEffect, useMemo, useState } from "react";
import { api, type ReadWorkbook, type TakenRows } from "../../../api";
import { useStale } from "../../../api/stale";
import { writeExact } from "../../../base/exact";
import { type Reading, rowsBelow } from "./columns";

export interface Opened {
  file: File;
  book: ReadWorkbook;
}

/** A workbook that is being brought into a suite: how it is read, what would come of it, and taking it over. */
export function useWorkbook({ file, book }: Opened, suite: string, only: string | undefined) {
  const tell = useStale();
  const [at, setAt] = useState(() =>
    Math.max(
      0,
      book.sheets.findIndex((sheet) => sheet.columns.some(Boolean)),
    ),
  );
  const sheet = book.sheets[at];
  const [reading, setReading] = useState<Reading>(() => begun(book, at, file.name));
  const [planned, setPlanned] = useState<TakenRows>();
  const [problem, setProblem] = useState("");
  const [taken, setTaken] = useState<TakenRows>();
  const asked = useMemo(
    () =>
      sheet && {
        columns: reading.columns,
        table: rowsBelow(sheet, reading),
        first: reading.headings + 1,
        otherwise: reading.otherwise,
        ...(only && { case: only }),
      },
    [sheet, reading, only],
  );
  useEffect(() => {
    if (!asked || taken || !asked.columns.some(Boolean)) return setPlanned(undefined);
    let old = false;
    const soon = window.setTimeout(() => {
      api
        .takeRows(suite, asked)
        .then((found) => {
          if (old) return;
          setPlanned(found);
          setProblem("");
        })
        .catch((wrong: Error) => {
          if (!old) setProblem(wrong.message);
        });
    }, 250);
    return () => {
      old = true;
      window.clearTimeout(soon);
    };
  }, [asked, suite, taken]);
  const choose = (next: number) => {
    setAt(next);
    setReading(begun(book, next, file.name));
  };
  const refresh = useCallback(() => void tell("workbook"), [tell]);
  const take = async () => {
    if (!sheet || !asked) return;
    try {
      const done = await api.takeRows(suite, {
        ...asked,
        take: true,
        headings: sheet.own ? [] : (sheet.table[reading.headings] ?? []),
      });
      if (!sheet.own)
        await api.keepWorkbook(suite, file, {
          name: file.name,
          sheet: sheet.name,
          headings: String(reading.headings),
          columns: JSON.stringify(reading.columns),
          otherwise: reading.otherwise,
        });
      setTaken(done);
      refresh();
    } catch (wrong) {
      setProblem((wrong as Error).message);
    }
  };
  const undo = async () => {
    try {
      for (const item of taken?.saved ?? []) {
        if (item.before) await api.saveCase(item.id, item.version, writeExact({ document: item.before }));
        else await api.removeCase(item.id);
      }
      setTaken(undefined);
    } catch (wrong) {
      setProblem((wrong as Error).message);
    }
    refresh();
  };
  return { at, sheet, choose, reading, setReading, planned, problem, take, taken, undo };
}

function begun(book: ReadWorkbook, at: number, file: string): Reading {
  const sheet = book.sheets[at];
  const columns = sheet?.columns ?? [];
  const name = sheet?.name || file.replace(/\.\w+$/, "");
  return {
    headings: sheet?.headings ?? 0,
    columns,
    mended: {},
    otherwise: columns.includes("case") ? "" : name,
  };
}
