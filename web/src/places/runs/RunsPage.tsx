import { useInfiniteQuery } from "@tanstack/react-query";
import { useCallback } from "react";
import { Link } from "react-router";
import type { Run, RunEvent } from "../../api";
import { queries } from "../../api/queries";
import { useStale } from "../../api/stale";
import { ago, count, duration, exactly } from "../../base/format";
import { Notice } from "../../parts/Notice";
import { type MarkKind, VerdictMark } from "../../parts/VerdictMark";
import { useEvents } from "../../state/events";
import { useProject } from "../../state/project";
import { useTab } from "../../state/tab";
import { EarlierRuns } from "./EarlierRuns";

/** Every run, newest first: what, where, by whom, how it ended. */
export function RunsPage() {
  const project = useProject();
  useTab("Runs");
  const tell = useStale();
  const pages = useInfiniteQuery(queries.runs(project?.id));
  const refresh = useCallback(
    (event: RunEvent) => {
      if (event.type.startsWith("run ")) void tell("runs");
    },
    [tell],
  );
  useEvents(project?.id, refresh);
  const items = pages.data?.pages.flatMap((page) => page.items) ?? [];
  return (
    <div className="page">
      <div className="page-head">
        <h1>Runs</h1>
      </div>
      {pages.error && <Notice sentence={pages.error.message} retry={() => void pages.refetch()} />}
      {pages.isSuccess && items.length === 0 && (
        <p>
          Nothing was run yet. Open a case under <Link to="/cases">Cases</Link> and press Run.
        </p>
      )}
      <ul className="lines">
        {items.map((run) => (
          <RunRow key={run.id} run={run} />
        ))}
      </ul>
      <EarlierRuns pages={pages} />
    </div>
  );
}

export function runMark(run: Run): MarkKind {
  if (run.verdict) return run.verdict;
  return run.state === "waiting" ? "waiting" : "running";
}

function RunRow({ run }: { run: Run }) {
  const total = Object.values(run.counts).reduce((sum, number) => sum + number, 0);
  const share =
    total > 1 ? `${run.counts.passed ?? 0} of ${count(total, "case")} passed` : (run.verdict ?? run.state);
  return (
    <li className="run-line">
      <VerdictMark verdict={runMark(run)} />
      <span className="number">{run.number}</span>
      <span className="case-name">
        <Link to={`/runs/${run.id}`}>{run.title}</Link>
        <span className="muted small">
          against {run.environment || "no environment"} · {run.startedBy} · seed {run.seed}
          {run.build && ` · build ${run.build}`}
        </span>
      </span>
      <span>{share}</span>
      <span className="number">{duration(run.ms)}</span>
      <span className="muted" title={exactly(run.askedAt)}>
        {ago(run.askedAt)}
      </span>
    </li>
  );
}
