import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { queries } from "../../api/queries";
import { count } from "../../base/format";
import { Notice } from "../../parts/Notice";
import { OverTime, TimeAxis } from "../../parts/overTime/TimeAxis";
import { useTab } from "../../state/tab";
import { LookChoice } from "./LookChoice";
import { MovedRow } from "./MovedRow";
import { NeverFailed } from "./NeverFailed";
import { SaveTables } from "./SaveTables";
import { SuiteDays } from "./SuiteDays";
import { heading, nobodyAnswered } from "./sentences";
import { TrustCard } from "./TrustCard";
import { useLook } from "./useLook";

/** What became slower or quicker, suites day by day, which cases cannot be trusted. */
export function TrendsPage() {
  const looking = useLook();
  const { project, look, span, over, put, search } = looking;
  const moved = useQuery(queries.moved(project?.id, look));
  const suites = useQuery(queries.suitesOverTime(project?.id, look));
  const trust = useQuery(queries.trust(project?.id, look));
  useTab("Trends");
  if (!project) return null;
  const kept = search.size ? `?${search}` : "";
  const most = Math.max(
    0,
    ...(suites.data?.items ?? []).flatMap(({ days }) => days.map(([, bad = 0, known = 0]) => bad + known)),
  );
  const all = suites.data?.all;
  const nothing = suites.isSuccess && !all?.runs;
  const problem = moved.error ?? suites.error ?? trust.error;
  return (
    <div className="page trends-page">
      <div className="page-head">
        <div>
          <h1>{heading(moved.data, trust.data, over)}</h1>
          {all && (
            <p className="muted small">
              {count(all.cases, "case")}, {count(all.checks, "check")},{" "}
              {count(moved.data?.steps ?? 0, "step")}, {count(all.runs, "run of cases", "runs of cases")}
            </p>
          )}
        </div>
        <span className="trend-acts">
          <Link className="plain-button" to={`/trends/time${kept}`}>
            Where the time goes
          </Link>
          <Link className="plain-button" to={`/trends/compared${kept}`}>
            Compare
          </Link>
          <SaveTables project={project.id} look={look} />
        </span>
      </div>
      <LookChoice looking={looking} />
      {problem && <Notice sentence={problem.message} retry={() => void moved.refetch()} />}
      {nothing && <NoRuns watched={looking.watchedOnly} kept={kept} />}
      {!nothing && (
        <div className="trend-columns">
          <OverTime
            className="trend-list"
            span={span}
            look={(at) =>
              put({ from: new Date(at.begin).toISOString(), to: new Date(at.end).toISOString() }, ["over"])
            }
          >
            <section aria-label="Slower or quicker">
              <h2>
                Slower or quicker, most first <Link to={`/trends/all${kept}`}>all that is followed</Link>
              </h2>
              <div className="trend-row trend-axis">
                <span className="muted">drag on the time to look closer</span>
                <div className="over-time">
                  <TimeAxis span={span} most={6} />
                </div>
                <span />
              </div>
              <ul>
                {moved.data?.items.map((one) => (
                  <MovedRow key={one.id} one={one} parts={moved.data.parts} span={span} search={kept} />
                ))}
              </ul>
            </section>
            <section aria-label="Suites day by day">
              <h2>
                Suites day by day: cases that did not pass{" "}
                <Link to={`/trends/runs${kept}`}>each run in a table</Link>
              </h2>
              <ul>
                {suites.data?.items.map((suite) => (
                  <SuiteDays key={suite.id} suite={suite} days={suites.data.days} most={most} search={kept} />
                ))}
              </ul>
            </section>
          </OverTime>
          <aside>
            <section aria-label="Cases that cannot be trusted">
              <h2>Cases that cannot be trusted</h2>
              {trust.data && !trust.data.items.length && (
                <p className="muted small">
                  None: no verdict turned bad and good again with nothing changed.
                </p>
              )}
              <ul>
                {trust.data?.items.map((one) => (
                  <TrustCard key={one.id} one={one} />
                ))}
              </ul>
              {trust.data && trust.data.hiccups > 0 && (
                <p className="muted small">{nobodyAnswered(trust.data.hiccups)}</p>
              )}
            </section>
            {trust.data && trust.data.never.length > 0 && <NeverFailed never={trust.data.never} />}
          </aside>
        </div>
      )}
    </div>
  );
}

/** `watched`: the environment, where watches alone go there. */
function NoRuns({ watched, kept }: { watched: string; kept: string }) {
  return (
    <div className="teach">
      <p>
        No run of a case has ended in this stretch. Trends are drawn from runs of suites and cases, not from
        trials.
      </p>
      <p>
        <Link to="/cases">Run a suite</Link>, or have a pipeline run it each night.
      </p>
      {watched && (
        <p>
          Watches go to {watched}:{" "}
          <Link to={`/trends/all${kept ? `${kept}&` : "?"}kind=watch`}>how long their answers took</Link>.
        </p>
      )}
    </div>
  );
}
