import { useQuery } from "@tanstack/react-query";
import { useCallback, useMemo, useState } from "react";
import { Link, useNavigate } from "react-router";
import type { Environment, RunEvent, Suite } from "../../api";
import { queries } from "../../api/queries";
import { useStale } from "../../api/stale";
import { count } from "../../base/format";
import { Notice } from "../../parts/Notice";
import { RunButton } from "../../parts/RunButton";
import { useEvents } from "../../state/events";
import { useProject } from "../../state/project";
import { useStart, useWhere } from "../../state/run";
import { useRunWays } from "../../state/runWays";
import { useTab } from "../../state/tab";
import { AddSuite, NoSuite } from "./outline/AddSuite";
import { Deleted } from "./outline/Deleted";
import { SuiteBlock } from "./outline/SuiteBlock";
import { fitting, treeOf } from "./outline/tree";
import { useOutline } from "./outline/useOutline";
import { useTicked } from "./outline/useTicked";
import { SharedList } from "./shared/SharedList";

/** What changes the outline, whoever did it. */
const TOLD_BY = ["run finished", "case changed", "suites changed"];

/** The suites as an outline; what needs a person is said at the top. */
export function CasesPage() {
  const project = useProject();
  useTab("Cases");
  const tell = useStale();
  const navigate = useNavigate();
  const start = useStart();
  const [where, choose, environments] = useWhere();
  const suites = useQuery(queries.suites(project?.id));
  const refresh = useCallback(
    (event: RunEvent) => {
      if (TOLD_BY.includes(event.type)) void tell("outline");
    },
    [tell],
  );
  useEvents(project?.id, refresh);
  const [ways, chooseWays] = useRunWays();
  const run = async (which: { suite?: string; cases?: string[] }) => {
    const begun = await start({ ...which, ...ways }, where);
    if (begun) void navigate(`/runs/${begun.id}`);
  };
  const ticked = useTicked();
  const items = suites.data?.items ?? [];
  const outline = useOutline(project?.id ?? "");
  const [typed, setTyped] = useState("");
  const found = useMemo(() => fitting(suites.data?.items ?? [], typed), [suites.data, typed]);
  const tree = useMemo(() => treeOf(found), [found]);
  const shown = found.flatMap((suite) => suite.cases.map(({ id }) => id));
  const chosen = ticked.among(items);
  const which = chosen.length ? chosen : typed.trim() ? shown : undefined;
  return (
    <div className="page">
      <div className="page-head">
        <div>
          <h1>Cases</h1>
          <p className="muted">
            {summary(items)}
            {summary(items) && " · "}
            <Link to="/cases/single">Single requests</Link> belong to no case yet
          </p>
        </div>
        {items.some((suite) => suite.cases.length > 0) && (!which || which.length > 0) && (
          <RunButton
            what={whatRuns(chosen.length, which?.length)}
            environment={where[0]}
            others={where.slice(1)}
            environments={environments}
            choose={(name) => choose([name])}
            turn={(name) => choose(turned(where, name))}
            run={() => void run(which ? { cases: which } : {})}
            ways={ways}
            chooseWays={chooseWays}
            running={false}
            stop={() => undefined}
          />
        )}
      </div>
      {suites.error && <Notice sentence={suites.error.message} retry={() => void suites.refetch()} />}
      {items.length > 0 && <Filter typed={typed} type={setTyped} found={count(shown.length, "case")} />}
      {chosen.length > 0 && (
        <p className="muted">
          {count(chosen.length, "case is", "cases are")} ticked{" "}
          <button type="button" className="plain-link" onClick={ticked.clear}>
            Tick none
          </button>
        </p>
      )}
      {outline.notice && (
        <p className="live">
          <span role="status">{outline.notice.sentence}</span>{" "}
          {outline.notice.undo && (
            <button type="button" className="plain-link" onClick={outline.notice.undo}>
              Undo
            </button>
          )}
        </p>
      )}
      {tree.map((standing) => (
        <SuiteBlock
          key={standing.suite.id}
          standing={standing}
          beside={tree.map(({ suite }) => suite)}
          suites={items}
          outline={outline}
          filtered={typed.trim() !== ""}
          run={(suite) => void run({ suite })}
          ticked={ticked}
        />
      ))}
      {suites.isSuccess && project && items.length === 0 && (
        <NoSuite project={project.id} outline={outline} />
      )}
      {items.length > 0 && !typed && (
        <div className="add-case">
          <AddSuite outline={outline} />
        </div>
      )}
      <SharedList typed={typed} />
      {project && !typed && <Deleted project={project.id} />}
    </div>
  );
}

/** The environments with one more, or one less. */
function turned(where: Environment[], name: string): string[] {
  const names = where.map((item) => item.name);
  return names.includes(name) ? names.filter((other) => other !== name) : [...names, name];
}

/** What the button runs: what is ticked, else what was found, else everything. */
function whatRuns(ticked: number, which: number | undefined): string {
  if (ticked) return ticked === 1 ? "the ticked one" : `the ${ticked} ticked`;
  if (which !== undefined) return which === 1 ? "the one found" : `the ${which} found`;
  return "every suite";
}

interface FilterProps {
  typed: string;
  type: (text: string) => void;
  found: string;
}

/** Find by text, tag, address or verdict; every word must be there. */
function Filter({ typed, type, found }: FilterProps) {
  return (
    <p className="filter">
      <input
        type="search"
        value={typed}
        aria-label="Find cases by text, tag, address or verdict"
        placeholder="Find by text, tag, address or verdict: smoke failed /port-calls"
        onChange={(event) => type(event.target.value)}
      />
      <span className="muted" role="status">
        {typed.trim() && found}
      </span>
    </p>
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
