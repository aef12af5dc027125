import { useQuery } from "@tanstack/react-query";
import { Button } from "antd";
import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { api, type RunReport } from "../../app/api";
import { ago, duration, exactly } from "../../app/format";
import { useEnvironments, useRun, useStart } from "../../app/run";
import { Notice } from "../../parts/Notice";
import { CameOtherwise } from "./CameOtherwise";
import { CaseRows, type Chosen } from "./CaseRows";
import { ChosenStep } from "./ChosenStep";
import { sentences, tally } from "./report";

/** A run's report: the verdict as sentences, every case with its steps, and the exchange of the chosen step. */
export function RunPage() {
  const { id = "" } = useParams();
  const report = useRun(id);
  if (report.error) {
    return (
      <div className="page">
        <Notice sentence={report.error.message} retry={() => void report.refetch()} />
      </div>
    );
  }
  if (!report.data) return <p className="muted pad">Reading the run…</p>;
  return <Report key={id} run={report.data} />;
}

function Report({ run }: { run: RunReport }) {
  const [picked, setPicked] = useState<Chosen>();
  const navigate = useNavigate();
  const start = useStart();
  const environments = useEnvironments().data?.items ?? [];
  const chosen = picked ?? firstBad(run);
  const finished = run.state === "finished";
  const bad = run.cases.filter((item) => item.verdict && item.verdict !== "passed");
  const again = async (entries: RunReport["cases"], sameData = false) => {
    const environment = environments.find((item) => item.name === run.environment);
    const cases = entries.map((item) => item.case);
    const rows = !sameData && entries === bad && entries.some((item) => item.rows);
    const begun = await start(
      { cases, ...(sameData && { again: run.id }), ...(rows && { bad: run.id }) },
      environment,
    );
    if (begun) void navigate(`/runs/${begun.id}`);
  };
  return (
    <div className="page">
      <div className="page-head">
        <div>
          <p className="crumb">
            <Link to="/runs">Runs</Link> ▸ {run.number} · started by {run.startedBy}{" "}
            <span title={exactly(run.askedAt)}>{ago(run.askedAt)}</span>
            {run.environment && ` against ${run.environment}`} · seed {run.seed}
          </p>
          <h1>{run.title}</h1>
        </div>
        <div className="actions">
          {!finished && (
            <Button danger onClick={() => void api.stop(run.id).catch(() => undefined)}>
              Stop this run
            </Button>
          )}
          {finished && (
            <>
              <button
                type="button"
                className="plain-link"
                title={`What is generated and what time it is are drawn as they were, from seed ${run.seed}`}
                onClick={() => void again(run.cases, true)}
              >
                Run it again with the same data
              </button>
              <Button type="primary" onClick={() => void again(bad.length ? bad : run.cases)}>
                {bad.length ? "Run what did not pass again" : "Run it again"}
              </Button>
            </>
          )}
        </div>
      </div>
      <div className={`banner ${run.verdict ?? "running"}`} role="status" aria-live="polite">
        <p>
          {sentences(run).map((sentence, index) =>
            // biome-ignore lint/suspicious/noArrayIndexKey: sentences stand in their order
            index === 0 ? <strong key={index}>{sentence} </strong> : <span key={index}>{sentence} </span>,
          )}
        </p>
        <p className="muted small">
          {tally(run)}
          {run.ms !== null && ` · ${duration(run.ms)} in all`}
          {run.stoppedBy && ` · stopped by ${run.stoppedBy}`}
        </p>
      </div>
      {finished && <CameOtherwise run={run} />}
      <div className={run.cases.some((entry) => entry.rows) ? "run-columns with-rows" : "run-columns"}>
        <CaseRows run={run} chosen={chosen} choose={setPicked} />
        {chosen && <StepPanel run={run} chosen={chosen} />}
      </div>
    </div>
  );
}

function StepPanel({ run, chosen }: { run: RunReport; chosen: Chosen }) {
  const entry = run.cases.find((item) => item.position === chosen.position);
  const steps = useQuery({
    queryKey: ["runCase", run.id, chosen.position, chosen.row, entry?.steps.length],
    queryFn: () => api.runCase(run.id, chosen.position, chosen.row),
    placeholderData: (before) => before,
  });
  const of = (steps.data?.items ?? []).filter(
    (item) =>
      item.part === chosen.part && item.index === chosen.index && (!chosen.row || item.row === chosen.row),
  );
  const step = of.find((item) => !item.inner);
  if (!entry) return null;
  return (
    <aside className="panel" aria-label="The chosen step">
      {step ? (
        <ChosenStep
          entry={entry}
          step={step}
          row={entry.rows ? step.row : undefined}
          inside={of.filter((item) => item.inner)}
        />
      ) : (
        <p className="muted pad">
          {steps.isFetching ? "Reading the step…" : "This step was not carried out."}
        </p>
      )}
    </aside>
  );
}

/** The step to look at first: the first bad one of the first bad case, else the first of all. */
function firstBad(run: RunReport): Chosen | undefined {
  const alone = run.cases.length === 1 ? run.cases[0] : undefined;
  if (
    alone?.rows?.first &&
    !alone.steps.some((step) => step.verdict === "failed" || step.verdict === "blocked")
  )
    return { position: 0, part: "steps", index: 0, row: alone.rows.first };
  for (const verdict of ["failed", "blocked", "unchecked", "passed"]) {
    for (const entry of run.cases) {
      const step = entry.steps.find((item) => item.verdict === verdict);
      if (step)
        return {
          position: entry.position,
          part: step.part,
          index: step.index,
          ...(entry.rows && { row: 0 }),
        };
    }
  }
  return undefined;
}
