import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useRef, useState } from "react";
import { api, type Page, type RunEvent, type ValueChange, type ValueRow } from "../../app/api";
import { useEvents } from "../../app/events";
import { count } from "../../app/format";
import { changed } from "./values";

/** The values of the project, and their changes: shown at once, saved together, each undone in one act. */
export function useValues(project: string | undefined, environments: string[]) {
  const client = useQueryClient();
  const key = ["values", project];
  const query = useQuery({
    queryKey: key,
    queryFn: () => api.values(project as string),
    enabled: Boolean(project),
  });
  const past = useRef<(() => Promise<unknown>)[]>([]);
  const [undoable, setUndoable] = useState(0);
  const [said, setSaid] = useState("");
  const underWay = useRef(0);
  const last = useRef<Promise<unknown>>(Promise.resolve());
  const refresh = useCallback(async () => {
    if (!underWay.current) await client.invalidateQueries({ queryKey: ["values", project] });
  }, [client, project]);
  const listener = useCallback(
    (event: RunEvent) => {
      if (event.type === "values changed") void refresh();
    },
    [refresh],
  );
  useEvents(project, listener);

  const save = async (changes: ValueChange[]): Promise<ValueChange[]> => {
    if (!project || !changes.length) return [];
    underWay.current += 1;
    await client.cancelQueries({ queryKey: key });
    client.setQueryData<Page<ValueRow>>(
      key,
      (page) => page && { ...page, items: changed(page.items, changes, environments) },
    );
    let undo: ValueChange[] = [];
    // One after the other, so that what an undo brings back is what stood there.
    const mine = last.current.catch(() => undefined).then(() => api.changeValues(project, changes));
    last.current = mine;
    try {
      const answer = await mine;
      undo = answer.undo;
      const first = answer.faults[0];
      if (first)
        setSaid(
          answer.faults.length > 1
            ? `${count(answer.faults.length, "cell")} could not be taken; the first: ${first.sentence}.`
            : `This could not be taken: ${first.sentence}.`,
        );
      else setSaid(changes.length > 1 ? `${count(changes.length, "cell")} changed.` : "");
    } catch (problem) {
      setSaid((problem as Error).message);
    }
    underWay.current -= 1;
    await refresh();
    return undo;
  };
  const remember = (back: () => Promise<unknown>) => {
    past.current.push(back);
    setUndoable(past.current.length);
  };
  const apply = async (changes: ValueChange[]): Promise<void> => {
    const undo = await save(changes);
    if (undo.length) remember(() => save(undo));
  };
  const call = async (suite: string, name: string, to: string, done?: () => void): Promise<void> => {
    const answer = await api.renameValue(project as string, suite, name, to);
    done?.(); // before it is said, so that Undo means this
    setSaid(`${name} is called ${to} now${answer.cases ? `, in ${count(answer.cases, "case")} too` : ""}.`);
    await refresh();
  };
  const rename = async (row: ValueRow, to: string): Promise<void> => {
    try {
      await call(row.suite, row.name, to, () => remember(() => call(row.suite, to, row.name)));
    } catch (problem) {
      setSaid((problem as Error).message);
    }
  };
  const undo = async (): Promise<void> => {
    const back = past.current.pop();
    setUndoable(past.current.length);
    await back?.().catch((problem: Error) => setSaid(problem.message));
  };
  return {
    query,
    rows: query.data?.items ?? [],
    apply,
    rename,
    undo,
    canUndo: undoable > 0,
    said,
    setSaid,
    refresh,
  };
}
