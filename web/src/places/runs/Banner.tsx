import { useQuery } from "@tanstack/react-query";
import type { RunReport } from "../../api";
import { queries } from "../../api/queries";
import { duration } from "../../base/format";
import { Causes } from "./Causes";
import { NotMet } from "./KnownCause";
import { pace, sentences, tally, wrongIn } from "./report";
import type { Chosen } from "./rows/chosen";
import { useKnown } from "./useKnown";

/** How a run stands or ended, as sentences: how many passed, and what went wrong, one for each cause. */
export function Banner({ run, choose }: { run: RunReport; choose: (chosen: Chosen) => void }) {
  const wrong = wrongIn(run);
  const query = useQuery(queries.causes(run.id, wrong));
  const causes = query.data?.items ?? [];
  const notMet = useQuery(queries.notMet(run.state === "finished" ? run.id : undefined)).data?.items ?? [];
  const acts = useKnown(run.project, run.id);
  // Runs of before have no causes; until it is known whether there are any, nothing is told that would be told otherwise then.
  const byCause = causes.length > 0 || (wrong > 0 && query.isPending);
  return (
    <div className={`banner ${run.verdict ?? "running"}`}>
      <p role="status" aria-live="polite">
        {sentences(run, byCause).map((sentence, index) =>
          // biome-ignore lint/suspicious/noArrayIndexKey: sentences stand in their order
          index === 0 ? <strong key={index}>{sentence} </strong> : <span key={index}>{sentence} </span>,
        )}
      </p>
      {causes.length > 0 && <Causes run={run.id} causes={causes} acts={acts} choose={choose} />}
      {notMet.length > 0 && <NotMet known={notMet} acts={acts} />}
      {(acts.canUndo || acts.problem) && (
        <p>
          {acts.problem && (
            <span className="trouble" role="alert">
              {acts.problem}{" "}
            </span>
          )}
          {acts.canUndo && (
            <button type="button" className="plain-link" onClick={() => void acts.undo()}>
              Undo what was said of causes
            </button>
          )}
        </p>
      )}
      <p className="muted small">
        {[tally(run), pace(run, Date.now())].filter(Boolean).join(" · ")}
        {run.ms !== null && ` · ${duration(run.ms)} in all`}
        {run.stoppedBy && ` · stopped by ${run.stoppedBy}`}
      </p>
    </div>
  );
}
