import { useQuery } from "@tanstack/react-query";
import { useCallback, useMemo } from "react";
import type { RunEvent } from "../../../api";
import { queries } from "../../../api/queries";
import { useStale } from "../../../api/stale";
import { type Book, bookOfRows } from "../../../case/sheet/book";
import { useEvents } from "../../../state/events";
import { useSavedEdits } from "../../case/state/useSavedEdits";

/** The cases of a suite for a sheet: every edit is saved at once on the newest version, and can be undone. */
export function useSuiteBook(suite: string, project: string | undefined) {
  const tell = useStale();
  const query = useQuery(queries.suiteRows(suite));
  const refresh = useCallback(() => tell("suite rows", suite), [tell, suite]);
  useEvents(
    project,
    useCallback(
      (event: RunEvent) => {
        if (event.type === "run finished" || event.type === "case changed") void refresh();
      },
      [refresh],
    ),
  );
  const { apply, undo, canUndo } = useSavedEdits(refresh);
  const cases = useMemo(() => bookOfRows(query.data?.items ?? []), [query.data]);
  const book = useMemo<Book>(() => ({ cases, apply }), [cases, apply]);
  return { book, query, undo, canUndo };
}
