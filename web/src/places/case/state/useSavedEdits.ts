import { useCallback } from "react";
import { ApiProblem, api } from "../../../api";
import { writeExact } from "../../../base/exact";
import { count } from "../../../base/format";
import type { CaseChange, Change, Document } from "../../../case/document";
import { merged } from "../../../case/merge";
import { useActs } from "../../../state/acts";

/** One edit of a case from outside its page, by the whole document before and after it. */
interface Edit {
  id: string;
  before: Document;
  after: Document;
}

const TRIES = 5;

/** Edits of several cases from one page: each is saved at once on the newest version, all of them are one undo. `refresh` asks for
 * what the page shows anew. */
export function useSavedEdits(refresh: () => Promise<unknown>) {
  const { carry, undo, canUndo } = useActs(refresh);
  /** A sentence says what could not be changed, and why; the other cases are. */
  const apply = useCallback(
    async (changes: CaseChange[]) => {
      const made = await carry(
        () => saveAll(changes),
        ({ done }) => (done.length ? () => saveAll(done.map(takenBack)) : undefined),
      );
      return made.problem;
    },
    [carry],
  );
  return { apply, undo, canUndo };
}

async function saveAll(changes: CaseChange[]): Promise<{ done: Edit[]; problem?: string }> {
  const done: Edit[] = [];
  const problems: string[] = [];
  for (const { id, change } of changes) {
    try {
      done.push(await saved(id, change));
    } catch (wrong) {
      problems.push((wrong as Error).message);
    }
  }
  if (!problems.length || !done.length) return { done, problem: problems[0] };
  const these = `${problems.length} of ${count(changes.length, "case")} could not be saved`;
  return { done, problem: `${these}; the first: ${problems[0]}` };
}

function takenBack({ id, before, after }: Edit): CaseChange {
  return { id, change: (now) => merged(after, before, now).document };
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
