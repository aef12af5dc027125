import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useMemo, useRef, useState } from "react";
import { ApiProblem, api, type RunEvent } from "../../../app/api";
import { useEvents } from "../../../app/events";
import { writeExact } from "../../../app/exact";
import type { Change, Document } from "../edit/document";
import { merged } from "../edit/merge";
import { type Book, bookOfRows } from "./book";

/** One edit of a case from the sheet of its suite, by the whole document before and after it. */
interface Edit {
  id: string;
  before: Document;
  after: Document;
}

const TRIES = 5;

/** The cases of a suite for a sheet: every edit is saved at once on the newest version, and can be undone. */
export function useSuiteBook(suite: string, project: string | undefined) {
  const client = useQueryClient();
  const query = useQuery({ queryKey: ["suite-rows", suite], queryFn: () => api.suiteRows(suite) });
  const past = useRef<Edit[][]>([]);
  const [undoable, setUndoable] = useState(0);
  const refresh = useCallback(
    () => client.invalidateQueries({ queryKey: ["suite-rows", suite] }),
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
  const saveAll = useCallback(
    async (changes: { id: string; change: Change }[]): Promise<Edit[] | string> => {
      const done: Edit[] = [];
      let problem = "";
      for (const { id, change } of changes) {
        try {
          done.push(await saved(id, change));
        } catch (wrong) {
          problem = (wrong as Error).message;
        }
      }
      await refresh();
      return problem && !done.length ? problem : done;
    },
    [refresh],
  );
  const apply = useCallback(
    async (changes: { id: string; change: Change }[]) => {
      const done = await saveAll(changes);
      if (typeof done === "string") return done;
      past.current.push(done);
      setUndoable(past.current.length);
      return undefined;
    },
    [saveAll],
  );
  const undo = useCallback(async () => {
    const last = past.current.pop();
    setUndoable(past.current.length);
    if (last)
      await saveAll(
        last.map(({ id, before, after }) => ({ id, change: (now) => merged(after, before, now).document })),
      );
  }, [saveAll]);
  const cases = useMemo(() => bookOfRows(query.data?.items ?? []), [query.data]);
  const book = useMemo<Book>(() => ({ cases, apply }), [cases, apply]);
  return { book, query, undo, canUndo: undoable > 0 };
}

/** The change made on the case as it is now; made again where someone else was quicker. */
async function saved(id: string, change: Change): Promise<Edit> {
  for (let tried = 1; ; tried++) {
    const now = await api.case(id);
    const before = now.document as Document;
    const after = change(before);
    try {
      await api.saveCase(id, now.version, writeExact({ document: after }));
      return { id, before, after };
    } catch (problem) {
      if (!(problem instanceof ApiProblem && problem.status === 412) || tried === TRIES) throw problem;
    }
  }
}
