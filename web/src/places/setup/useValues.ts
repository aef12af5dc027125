import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useState } from "react";
import { api, type RunEvent, type ValueChange, type ValueRow } from "../../api";
import { queries } from "../../api/queries";
import { useStale } from "../../api/stale";
import { count } from "../../base/format";
import { useActs } from "../../state/acts";
import { useEvents } from "../../state/events";
import { changed } from "./values";

/** The values of the project, and their changes: shown at once, saved together, each undone in one act. */
export function useValues(project: string | undefined, environments: string[]) {
  const client = useQueryClient();
  const tell = useStale();
  const { queryKey } = queries.values(project);
  const query = useQuery(queries.values(project));
  const [said, setSaid] = useState("");
  const refresh = useCallback(() => tell("values"), [tell]);
  const { carry, undo, canUndo, isSaving } = useActs(refresh);
  const listener = useCallback(
    (event: RunEvent) => {
      if (event.type === "values changed" && !isSaving()) void refresh();
    },
    [refresh, isSaving],
  );
  useEvents(project, listener);

  /** As it will read, before it is saved. */
  const show = async (changes: ValueChange[]) => {
    await client.cancelQueries({ queryKey });
    client.setQueryData(
      queryKey,
      (page) => page && { ...page, items: changed(page.items, changes, environments) },
    );
  };
  /** Gives the changes that undo it. */
  const save = async (changes: ValueChange[]): Promise<ValueChange[]> => {
    const { faults, undo } = await api.changeValues(project as string, changes);
    if (faults[0])
      setSaid(
        faults.length > 1
          ? `${count(faults.length, "cell")} could not be taken; the first: ${faults[0].sentence}.`
          : `This could not be taken: ${faults[0].sentence}.`,
      );
    else setSaid(changes.length > 1 ? `${count(changes.length, "cell")} changed.` : "");
    return undo;
  };
  const sayWhy = (problem: Error) => setSaid(problem.message);
  const apply = async (changes: ValueChange[]): Promise<void> => {
    if (!project || !changes.length) return;
    const shown = show(changes);
    await carry(
      () => shown.then(() => save(changes)),
      (back) => (back.length ? () => show(back).then(() => save(back)) : undefined),
    ).catch(sayWhy);
  };
  const call = async (suite: string, name: string, to: string): Promise<void> => {
    const answer = await api.renameValue(project as string, suite, name, to);
    setSaid(`${name} is called ${to} now${answer.cases ? `, in ${count(answer.cases, "case")} too` : ""}.`);
  };
  const rename = async (row: ValueRow, to: string): Promise<void> => {
    await carry(
      () => call(row.suite, row.name, to),
      () => () => call(row.suite, to, row.name),
    ).catch(sayWhy);
  };
  return {
    query,
    rows: query.data?.items ?? [],
    apply,
    rename,
    undo: () => undo().catch(sayWhy),
    canUndo,
    said,
    setSaid,
    refresh,
  };
}
