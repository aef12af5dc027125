import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback } from "react";
import { Link, useNavigate } from "react-router";
import { api, type CaseLine, type RunEvent, type Suite } from "../../app/api";
import { useEvents } from "../../app/events";
import { ago, count, duration, exactly } from "../../app/format";
import { useProject } from "../../app/project";
import { useEnvironment, useStart } from "../../app/run";
import { Notice } from "../../parts/Notice";
import { RunButton } from "../../parts/RunButton";
import { VerdictLine, VerdictMark } from "../../parts/VerdictMark";
import { InPlace } from "./edit/InPlace";

/** The suites as an outline; what needs a person is said at the top. */
export function CasesPage() {
  const project = useProject();
  const client = useQueryClient();
  const navigate = useNavigate();
  const start = useStart();
  const [environment, choose, environments] = useEnvironment();
  const suites = useQuery({
    queryKey: ["suites", project?.id],
    queryFn: () => api.suites(project?.id as string),
    enabled: Boolean(project),
  });
  const refresh = useCallback(
    (event: RunEvent) => {
      if (event.type === "run finished") void client.invalidateQueries({ queryKey: ["suites"] });
    },
    [client],
  );
  useEvents(project?.id, refresh);
  const run = async (suite?: string) => {
    const begun = await start(suite ? { suite } : {}, environment);
    if (begun) void navigate(`/runs/${begun.id}`);
  };
  const items = suites.data?.items ?? [];
  return (
    <div className="page">
      <div className="page-head">
        <div>
          <h1>Cases</h1>
          <p className="muted">{summary(items)}</p>
        </div>
        <RunButton
          what="every suite"
          environment={environment}
          environments={environments}
          choose={choose}
          run={() => void run()}
          running={false}
          stop={() => undefined}
        />
      </div>
      {suites.error && <Notice sentence={suites.error.message} retry={() => void suites.refetch()} />}
      {items.map((suite) => (
        <SuiteBlock key={suite.id} suite={suite} run={() => void run(suite.id)} />
      ))}
      {suites.isSuccess && items.length === 0 && (
        <p>There is no suite yet. saltpath demo starts with a project that has three.</p>
      )}
    </div>
  );
}

function summary(suites: Suite[]): string {
  const cases = suites.flatMap((suite) => suite.cases);
  if (!cases.length) return "";
  const of = (verdict: string) => cases.filter((line) => line.last?.verdict === verdict).length;
  const parts = [
    `${of("passed")} of ${count(cases.length, "case")} pass`,
    of("failed") && `${of("failed")} fail`,
    of("blocked") && `${of("blocked")} blocked`,
    of("unchecked") && `${of("unchecked")} unchecked`,
  ];
  return parts.filter(Boolean).join(" · ");
}

function SuiteBlock({ suite, run }: { suite: Suite; run: () => void }) {
  return (
    <section className="suite" aria-labelledby={suite.id}>
      <div className="suite-head">
        <h2 id={suite.id}>{suite.name}</h2>
        <span className="muted">{suite.about}</span>
        <button
          type="button"
          className="plain-link"
          onClick={run}
          aria-label={`Run these ${suite.cases.length} of ${suite.name}`}
        >
          Run these {suite.cases.length}
        </button>
      </div>
      <ul className="lines">
        {suite.cases.map((line) => (
          <CaseRow key={line.id} line={line} />
        ))}
      </ul>
      <AddCase suite={suite.id} />
    </section>
  );
}

/** A new case by its name; it opens at once, empty. */
function AddCase({ suite }: { suite: string }) {
  const project = useProject();
  const navigate = useNavigate();
  const client = useQueryClient();
  const save = async (name: string) => {
    if (!name.trim() || !project) return undefined;
    try {
      const made = await api.addCase(project.id, suite, { "salt-path": 1, case: name.trim(), steps: [] });
      void client.invalidateQueries({ queryKey: ["suites"] });
      void navigate(`/cases/${made.id}`);
      return undefined;
    } catch (problem) {
      return (problem as Error).message;
    }
  };
  return (
    <div className="add-case">
      <InPlace
        text=""
        label="Add a case to this suite"
        hint="Name the case by what it shows, such as: A vessel is found again. Enter makes it."
        save={save}
      >
        <span className="muted">+ case</span>
      </InPlace>
    </div>
  );
}

function CaseRow({ line }: { line: CaseLine }) {
  const last = line.last;
  return (
    <li className="case-line">
      <VerdictMark verdict={last?.verdict ?? "waiting"} />
      <span className="case-name">
        <Link to={`/cases/${line.id}`}>{line.name}</Link>
        <span className="muted small">
          {count(line.steps, "step")} · {count(line.checks, "check")}
          {line.register && ` · ${line.register}`}
          {line.tags.length > 0 && ` · ${line.tags.join(", ")}`}
        </span>
      </span>
      <span className="muted" title={exactly(last?.since)}>
        {last ? `${last.verdict} since ${ago(last.since)}` : "not run yet"}
      </span>
      <span className="number">{duration(last?.ms)}</span>
      {last ? <VerdictLine verdicts={last.verdicts} /> : <span />}
    </li>
  );
}
