import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate, useParams, useSearchParams } from "react-router";
import type { RunReport } from "../../api";
import { queries } from "../../api/queries";
import { Notice } from "../../parts/Notice";
import { WORST_FIRST } from "../../parts/verdicts";
import { useEnvironments, useRun, useStart } from "../../state/run";
import { useRunWays } from "../../state/runWays";
import { useTab } from "../../state/tab";
import { Addresses } from "./Addresses";
import { Banner } from "./Banner";
import { CameOtherwise } from "./CameOtherwise";
import { CaseRows } from "./CaseRows";
import { ChosenStep } from "./ChosenStep";
import { Left, Removes } from "./Left";
import { RunHead } from "./RunHead";
import { tabOf } from "./report";
import type { Chosen } from "./rows/chosen";

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
  const [{ jobs }] = useRunWays();
  const start = useStart();
  const environments = useEnvironments().data?.items ?? [];
  useTab(tabOf(run), run.verdict);
  const [search] = useSearchParams();
  const first = useFirstBad(run, search.get("case"));
  const chosen = picked ?? first;
  const bad = run.cases.filter((item) => item.verdict && item.verdict !== "passed");
  const finished = run.state === "finished";
  const again = async (entries: RunReport["cases"], sameData = false) => {
    const where = environments.filter((item) => run.environments.includes(item.name));
    const cases = [...new Set(entries.map((item) => item.case))];
    const rows = !sameData && entries === bad && entries.some((item) => item.rows);
    const begun = await start(
      { cases, jobs, ...(sameData && { again: run.id }), ...(rows && { bad: run.id }) },
      where,
    );
    if (begun) void navigate(`/runs/${begun.id}`);
  };
  return (
    <div className="page">
      <RunHead
        run={run}
        bad={bad.length}
        left={run.stoppedBy ? run.cases.filter((item) => item.verdict === "skipped").length : 0}
        goOn={() => void again(run.cases.filter((item) => item.verdict === "skipped"))}
        again={(sameData) => void again(sameData || !bad.length ? run.cases : bad, sameData)}
      />
      <Banner run={run} choose={setPicked} />
      {finished && (
        <div className="run-more">
          <CameOtherwise run={run} />
          <Addresses run={run} />
          {run.kind === "removal" ? <Removes run={run} /> : <Left run={run} />}
        </div>
      )}
      <div className={run.cases.some((entry) => entry.rows) ? "run-columns with-rows" : "run-columns"}>
        <CaseRows run={run} chosen={chosen} choose={setPicked} again={(cases) => void again(cases)} />
        {chosen && <StepPanel run={run} chosen={chosen} />}
      </div>
    </div>
  );
}

function StepPanel({ run, chosen }: { run: RunReport; chosen: Chosen }) {
  const entry = run.cases.find((item) => item.position === chosen.position);
  const steps = useQuery({ ...rowOf(run, chosen), placeholderData: (before) => before });
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
          run={run.id}
          entry={entry}
          step={step}
          row={entry.rows ? step.row : undefined}
          inside={of.filter((item) => item.inner)}
          where={run.environments.length > 1 ? entry.environment : ""}
          isKept={run.kind !== "removal"}
        />
      ) : (
        <p className="muted pad">
          {steps.isFetching ? "Reading the step…" : "This step was not carried out."}
        </p>
      )}
    </aside>
  );
}

/** Some step of a row, which of them is not known yet. */
const WORST_OF_ROW = -1;

/** The step to look at first, of a row the worst that counts; of one case, where somebody came for that. */
function useFirstBad(run: RunReport, wanted: string | null): Chosen | undefined {
  const first = firstBad(run, wanted);
  const row = useQuery({
    ...rowOf(run, first),
    enabled: first?.index === WORST_OF_ROW,
  });
  if (first?.index !== WORST_OF_ROW) return first;
  const steps = (row.data?.items ?? []).filter((item) => item.row === first.row && !item.inner);
  const worst = WORST_FIRST.flatMap((verdict) =>
    steps.filter((item) => item.verdict === verdict && item.counts),
  );
  const step = worst[0] ?? steps[0];
  return { ...first, part: step?.part ?? "steps", index: step?.index ?? 0 };
}

/** A row's steps, as they were recorded; without a row a case's. */
function rowOf(run: RunReport, chosen: Chosen | undefined) {
  const entry = run.cases.find((item) => item.position === chosen?.position);
  return queries.runCase(run.id, chosen?.position, chosen?.row, entry?.steps.length);
}

/** The first bad step of the first bad case, of a case with rows its first bad row, else the first of all. */
function firstBad(run: RunReport, wanted: string | null): Chosen | undefined {
  const of = run.cases.filter((entry) => entry.case === wanted);
  const cases = of.length ? of : run.cases;
  for (const verdict of WORST_FIRST) {
    for (const entry of cases) {
      const step = entry.steps.find((item) => item.verdict === verdict);
      const { position } = entry;
      if (step && (verdict !== "passed" || !entry.rows?.first))
        return { position, part: step.part, index: step.index, ...(entry.rows && { row: 0 }) };
      if (entry.rows?.first && (entry.verdict === verdict || verdict === "passed"))
        return { position, part: "steps", index: WORST_OF_ROW, row: entry.rows.first };
    }
  }
  return undefined;
}
