import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useMemo } from "react";
import { api, type RunEvent } from "../../../api";
import { queryKeys } from "../../../api/keys";
import { type Book, bookOfRows } from "../../../case/sheet/book";
import { useEvents } from "../../../state/events";
import { useSavedEdits } from "../../case/state/useSavedEdits";

/** The cases of a suite for a sheet: every edit is saved at once on the newest version, and can be undone. */
export function useSuiteBook(suite: string, project: string | undefined) {
  const client = useQueryClient();
  const query = useQuery({ queryKey: queryKeys.suiteRows(suite), queryFn: () => api.suiteRows(suite) });
  const refresh = useCallback(
    () => client.invalidateQueries({ queryKey: queryKeys.suiteRows(suite) }),
    [client, suite],
  );
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
