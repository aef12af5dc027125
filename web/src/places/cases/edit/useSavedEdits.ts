import { useCallback, useRef, useState } from "react";
import { ApiProblem, api } from "../../../app/api";
import { writeExact } from "../../../app/exact";
import type { Change, Document } from "./document";
import { merged } from "./merge";

/** One edit of a case from outside its page, by the whole document before and after it. */
interface Edit {
  id: string;
  before: Document;
  after: Document;
}

export type CaseChange = { id: string; change: Change };
const TRIES = 5;

/** Edits of several cases from one page: each is saved at once on the newest version, all of them are one undo. `refresh` asks for
 * what the page shows anew. */
export function useSavedEdits(refresh: () => Promise<unknown>) {
  const past = useRef<Edit[][]>([]);
  const [undoable, setUndoable] = useState(0);
  const saveAll = useCallback(
    async (changes: CaseChange[]): Promise<Edit[] | string> => {
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
  /** A sentence says why nothing could be changed. */
  const apply = useCallback(
    async (changes: CaseChange[]) => {
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
  return { apply, undo, canUndo: undoable > 0 };
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
