import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, type TakenRows } from "../../../api";
import { queries } from "../../../api/queries";
import { useStale } from "../../../api/stale";
import { writeExact } from "../../../base/exact";
import { count, listed } from "../../../base/format";

const MOST = 3;

/** Cases that have these steps written out use them from one click on; another one takes it back. */
export function UseThere({ id }: { id: string }) {
  const tell = useStale();
  const found = useQuery(queries.alike(id));
  const [saved, setSaved] = useState<TakenRows["saved"]>([]);
  const [problem, setProblem] = useState("");
  const refresh = () => tell("used there", id);
  const act = async (work: () => Promise<TakenRows["saved"]>) => {
    try {
      setSaved(await work());
      setProblem("");
    } catch (wrong) {
      setProblem((wrong as Error).message);
    }
    await refresh();
  };
  const back = async () => {
    for (const { id: one, version, before } of saved)
      await api.saveCase(one, version, writeExact({ document: before }));
    return [];
  };
  const names = (found.data?.items ?? []).map((item) => item.name);
  const more = names.length - MOST;
  return (
    <p role="status">
      {problem}
      {names.length > 0 && (
        <>
          {listed([...names.slice(0, MOST), ...(more > 0 ? [count(more, "other case")] : [])])}{" "}
          {names.length === 1 ? "has" : "have"} these steps written out.{" "}
          <button
            data-needs="edit"
            type="button"
            className="plain-link"
            onClick={() => void act(() => api.putShared(id))}
          >
            Use the shared ones there, too
          </button>
        </>
      )}
      {saved.length > 0 && (
        <>
          {count(saved.length, "case uses them", "cases use them")} now.{" "}
          <button data-needs="edit" type="button" className="plain-link" onClick={() => void act(back)}>
            Undo
          </button>
        </>
      )}
    </p>
  );
}
