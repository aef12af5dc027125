import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api } from "../../api";
import { queries } from "../../api/queries";
import { exactly } from "../../base/format";
import { Choice } from "../../parts/Choice";
import { Notice } from "../../parts/Notice";
import { momentName } from "../../parts/overTime/time";
import { useProject } from "../../state/project";
import { useTab } from "../../state/tab";

const DAY_MS = 86_400_000;

/** The first of a month so many before this one, and the first of the month after it. */
function month(back: number): { from: string; to: string } {
  const now = new Date();
  const first = new Date(now.getFullYear(), now.getMonth() - back, 1);
  const end = new Date(now.getFullYear(), now.getMonth() - back + 1, 1);
  return { from: first.toISOString(), to: end.toISOString() };
}

const lately = (days: number) => {
  const now = Date.now();
  return { from: new Date(now - days * DAY_MS).toISOString(), to: new Date(now).toISOString() };
};

const PERIODS: Record<string, () => { from: string; to: string }> = {
  "this month": () => month(0),
  "the month before": () => month(1),
  "the last 7 days": () => lately(7),
  "the last 90 days": () => lately(90),
  "the last 365 days": () => lately(365),
};

/** A report that a supplier cannot argue with: chosen by its sentence, saved, checked by whoever gets it. */
export function SupplierPage() {
  const project = useProject();
  const watches = useQuery(queries.watches(project?.id));
  const heads = useQuery(queries.heads(project?.id));
  const [supplier, setSupplier] = useState("");
  const [period, setPeriod] = useState("this month");
  useTab("Supplier report");
  if (!project) return null;
  const suppliers = [...new Set((watches.data?.items ?? []).map((one) => one.supplier).filter(Boolean))];
  const asked = { ...(PERIODS[period]?.() ?? lately(30)), supplier };
  return (
    <div className="page">
      <p className="crumb">
        <Link to="/watches">Watches</Link> ▸ supplier report
      </p>
      <h1>A report that can be checked</h1>
      <p className="supplier-sentence">
        Of{" "}
        <Choice
          label="Whose watches"
          value={supplier}
          choices={[
            ["", "every watch"],
            ...suppliers.map((name): [string, string] => [name, `the watches of ${name}`]),
          ]}
          choose={setSupplier}
          needs="read"
        />{" "}
        over{" "}
        <Choice
          label="Over which time"
          value={period}
          choices={Object.keys(PERIODS).map((name): [string, string] => [name, name])}
          choose={setPeriod}
          needs="read"
        />
      </p>
      <div className="actions supplier-acts">
        <a className="run-button" href={api.proofFile(project.id, asked, "html")} download>
          Save the report
        </a>
        <a className="plain-button" href={api.proofFile(project.id, asked, "xlsx")} download>
          Save as XLSX
        </a>
        <a className="plain-button" href={api.verifierFile()} download>
          The file that checks it
        </a>
      </div>
      <p className="muted">
        It holds the availability, outages with what their first bad run saw, times of answers, agreed
        maintenance, and every run; open it in a browser to read it, or print it as PDF. Whoever gets it
        checks it offline with <span className="mono">python3 verify.py REPORT.html</span>, and sees what was
        altered, left out or added. Full hours stand in it, once they are sealed: ten minutes after their end.
      </p>
      {watches.error && <Notice sentence={watches.error.message} retry={() => void watches.refetch()} />}
      <section aria-label="Last heads">
        <h2>The last sealed hours</h2>
        <p className="muted small">
          A head vouches for every hour before it. Have them sent to somebody else each day, by a route that{" "}
          <Link to="/watches/routes">sends heads</Link>: what stood in the record then cannot be another
          later.
        </p>
        {heads.isSuccess && !heads.data.items.length && (
          <p className="muted">Nothing is sealed yet; the first hour is, ten minutes after its end.</p>
        )}
        <ul className="lines">
          {heads.data?.items.map((one) => (
            <li key={one.id} className="sealed-hour">
              <Link to={`/watches/${one.id}`}>{one.name}</Link>
              <span className="muted" title={exactly(one.hour)}>
                {momentName(one.hour)}
              </span>
              <span className="mono small">{one.head}</span>
            </li>
          ))}
        </ul>
      </section>
    </div>
  );
}
