import { useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { Fragment, useState } from "react";
import { Link, useParams } from "react-router";
import type { Shapes } from "../../api";
import { queries } from "../../api/queries";
import { ago, count, duration, exactly, listed } from "../../base/format";
import { Notice } from "../../parts/Notice";
import { VerdictLine, VerdictMark } from "../../parts/VerdictMark";
import { useEnvironments } from "../../state/run";
import { useTab } from "../../state/tab";
import { EarlierRuns } from "./EarlierRuns";
import { ItsChecks } from "./ItsChecks";

type Past = Shapes["PastRun"];

/** The runs of a case, newest first; what was edited between two of them stands between them. */
export function HistoryPage() {
  const { id = "" } = useParams();
  const [environment, setEnvironment] = useState("");
  const of = useQuery(queries.case(id)).data;
  const environments = useEnvironments().data?.items ?? [];
  const pages = useInfiniteQuery(queries.history(id, environment));
  useTab(of ? `Runs of ${of.name}` : "Runs of a case");
  if (pages.error)
    return (
      <div className="page">
        <Notice sentence={pages.error.message} retry={() => void pages.refetch()} />
      </div>
    );
  const items = pages.data?.pages.flatMap((page) => page.items) ?? [];
  return (
    <div className="page">
      <div className="page-head">
        <div>
          <p className="crumb">
            <Link to="/cases">Cases</Link> ▸ <Link to={`/cases/${id}`}>{of?.name ?? "the case"}</Link>
          </p>
          <h1>Its runs</h1>
          <p className="muted">{standing(items)}</p>
        </div>
        <label className="muted">
          against{" "}
          <select
            className="which-part"
            value={environment}
            onChange={(event) => setEnvironment(event.target.value)}
          >
            <option value="">any environment</option>
            {environments.map(({ name }) => (
              <option key={name} value={name}>
                {name}
              </option>
            ))}
          </select>
        </label>
      </div>
      {items.length > 1 && (
        <VerdictLine
          verdicts={items
            .map(({ verdict }) => verdict)
            .slice(0, 40)
            .reverse()}
        />
      )}
      {pages.isSuccess && items.length === 0 && (
        <p>It was not run {environment ? `against ${environment}` : ""} yet.</p>
      )}
      {items.length > 0 && <ItsChecks id={id} name={of?.name ?? "the case"} environment={environment} />}
      <ul className="lines">
        {items.map((item) => (
          <Fragment key={item.run}>
            <PastLine item={item} />
            {item.edited && <EditedLine edited={item.edited} />}
          </Fragment>
        ))}
      </ul>
      <EarlierRuns pages={pages} />
    </div>
  );
}

function PastLine({ item }: { item: Past }) {
  return (
    <li className="run-line">
      <VerdictMark verdict={item.verdict} />
      <span className="number">{item.number}</span>
      <span className="case-name">
        <Link to={`/runs/${item.run}`}>
          {item.verdict}
          {item.verdict !== "passed" && item.why && `: ${item.why.sentence}`}
        </Link>
        <span className="muted small">
          against {item.environment || "no environment"} · {item.startedBy}
          {item.build && ` · build ${item.build}`}
        </span>
      </span>
      <span />
      <span className="number">{duration(item.ms)}</span>
      <span className="muted" title={exactly(item.at)}>
        {ago(item.at)}
      </span>
    </li>
  );
}

function EditedLine({ edited }: { edited: NonNullable<Past["edited"]> }) {
  const number = edited.changes.length + edited.more;
  return (
    <li className="edited-line">
      <details>
        <summary>
          edited by {listed(edited.by)} <span title={exactly(edited.at)}>{ago(edited.at)}</span>:{" "}
          {count(number, "change")}
        </summary>
        <ul>
          {edited.changes.map((change) => (
            <li key={change}>{change}</li>
          ))}
          {edited.more > 0 && <li className="muted">and {count(edited.more, "more", "more")}</li>}
        </ul>
      </details>
    </li>
  );
}

/** How it stands: "passed in 12 of the last 14 runs". */
function standing(items: Past[]): string {
  if (!items.length) return "";
  const passed = items.filter(({ verdict }) => verdict === "passed").length;
  if (items.length === 1) return `It was run once: ${items[0]?.verdict}.`;
  return `It passed in ${passed} of the last ${items.length} runs.`;
}
