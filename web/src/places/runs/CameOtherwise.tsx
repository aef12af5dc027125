import { useCallback, useState } from "react";
import { api, type RunReport } from "../../api";
import { useStale } from "../../api/stale";
import { count } from "../../base/format";
import { type Cause, causesIn, overCases } from "../../case/accepted";
import { Accept } from "../case/edit/Accept";
import { useSavedEdits } from "../case/state/useSavedEdits";

const MOST_CASES = 200;

/** After an intended change of the API: what came otherwise in a run's cases, by cause over all of them, becomes what is expected. */
export function CameOtherwise({ run }: { run: RunReport }) {
  const tell = useStale();
  const refresh = useCallback(() => tell("expected"), [tell]);
  const { apply, undo, canUndo } = useSavedEdits(refresh);
  const [causes, setCauses] = useState<Cause[]>();
  const [said, setSaid] = useState("");
  const failed = run.cases.filter((entry) => entry.verdict === "failed").slice(0, MOST_CASES);
  if (!failed.length) return null;
  const look = async () => {
    setSaid(`Reading ${count(failed.length, "case")}…`);
    try {
      const found: Cause[] = [];
      for (const { case: id } of failed) {
        const [of, seen] = await Promise.all([api.case(id), api.evidence(id, run.id)]);
        const steps = new Map(seen.steps.map((step) => [step.place, step]));
        found.push(...causesIn(of, steps));
      }
      const all = overCases(found);
      setCauses(all.length ? all : undefined);
      setSaid(
        all.length
          ? ""
          : "No failed check expects one value that came otherwise; each failure has to be looked at.",
      );
    } catch (problem) {
      setSaid((problem as Error).message);
    }
  };
  const close = (accepted: number) => {
    setCauses(undefined);
    if (accepted) setSaid(`${count(accepted, "check")} expect what came in this run from now on.`);
  };
  const takeBack = async () => {
    await undo();
    setSaid("They expect what they did before.");
  };
  return (
    <>
      <p className="live">
        <button type="button" className="plain-link" onClick={() => void look()}>
          Is what came otherwise right now?
        </button>{" "}
        <span role="status">{said}</span>{" "}
        {canUndo && (
          <button data-needs="edit" type="button" className="plain-link" onClick={() => void takeBack()}>
            Undo
          </button>
        )}
      </p>
      {causes && <Accept causes={causes} apply={apply} close={close} />}
    </>
  );
}
