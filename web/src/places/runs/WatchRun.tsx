import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import type { RunReport, Shapes } from "../../api";
import { queries } from "../../api/queries";

/** Watch what a run ran, where it ran: its one case, or the suite that holds all of its cases. */
export function WatchRun({ run }: { run: RunReport }) {
  const suites = useQuery(queries.suites(run.project));
  const what = watchable(run, suites.data?.items ?? []);
  if (!what) return null;
  const where = run.environment ? `&environment=${encodeURIComponent(run.environment)}` : "";
  return (
    <Link className="plain-button" data-needs="edit" to={`/watches/new?${what}${where}`}>
      Watch
    </Link>
  );
}

type Suite = Shapes["Suite"];

function watchable(run: RunReport, suites: Suite[]): string | undefined {
  const ran = [...new Set(run.cases.map((one) => one.case))];
  const there = new Set(suites.flatMap((suite) => suite.cases.map((one) => one.id)));
  if (ran.length === 1) return ran[0] && there.has(ran[0]) ? `case=${ran[0]}` : undefined;
  const holding = suites
    .filter((suite) => ran.every((id) => suite.cases.some((one) => one.id === id)))
    .sort((one, other) => one.cases.length - other.cases.length)[0];
  return holding && `suite=${holding.id}`;
}
