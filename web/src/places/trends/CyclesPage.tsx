import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import type { Shapes } from "../../api";
import { queries } from "../../api/queries";
import { count, exactly } from "../../base/format";
import { copied, NOT_COPIED } from "../../parts/clipboard";
import { Notice } from "../../parts/Notice";
import { momentName } from "../../parts/overTime/time";
import { useTab } from "../../state/tab";
import { LookChoice } from "./LookChoice";
import { SuiteChoice } from "./SuiteChoice";
import { useLook } from "./useLook";

type Cycle = Shapes["Cycle"];
const COLUMNS = ["date", "run", "build", "cases", "passed", "failed", "blocked", "unchecked", "share"];

/** What each run came to, as a table that can be copied into a spreadsheet. */
export function CyclesPage() {
  const looking = useLook();
  const { project, look, search, put } = looking;
  const suite = search.get("suite") ?? "";
  const found = useQuery(queries.cycles(project?.id, look, suite));
  const [said, setSaid] = useState("");
  useTab("Each run");
  if (!project) return null;
  const items = found.data?.items ?? [];
  const kept = new URLSearchParams(search);
  kept.delete("suite");
  const copy = async () => setSaid((await copied(asCells(items))) ? "Copied." : NOT_COPIED);
  return (
    <div className="page trends-page">
      <div className="page-head">
        <div>
          <p className="crumb">
            <Link to={`/trends${kept.size ? `?${kept}` : ""}`}>Trends</Link> ▸ each run
          </p>
          <h1>What each run came to</h1>
          {found.isSuccess && <p className="muted small">{count(items.length, "run")}, the newest first</p>}
        </div>
        <span className="trend-acts">
          <span className="muted small" role="status">
            {said}
          </span>
          <button type="button" className="plain-button" disabled={!items.length} onClick={() => void copy()}>
            Copy the table
          </button>
        </span>
      </div>
      <LookChoice looking={looking} />
      <SuiteChoice suite={suite} choose={(id) => put({ suite: id })} />
      {found.error && <Notice sentence={found.error.message} retry={() => void found.refetch()} />}
      {found.isSuccess && !items.length && <p className="muted">No run ended in this stretch.</p>}
      {items.length > 0 && (
        <table className="cycles">
          <thead>
            <tr>
              {COLUMNS.map((name) => (
                <th key={name} scope="col">
                  {name}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {items.map((one) => (
              <tr key={`${one.at} ${one.number}`}>
                <td title={exactly(one.at)}>{momentName(one.at)}</td>
                <td>{one.run ? <Link to={`/runs/${one.run}`}>{one.number}</Link> : ""}</td>
                <td>{one.build}</td>
                {numbersOf(one).map((number, n) => (
                  <td key={COLUMNS[n + 3]} className={n === 2 && number ? "number slower" : "number"}>
                    {number}
                  </td>
                ))}
                <td className="number">{(100 * one.share).toFixed(1)} %</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </div>
  );
}

const numbersOf = (one: Cycle) => [one.cases, one.passed, one.failed, one.blocked, one.unchecked];

/** As a spreadsheet takes it: cells by tabs, what begins like a formula as text. */
function asCells(items: Cycle[]): string {
  const rows = items.map((one) => [
    one.at.slice(0, 16).replace("T", " "),
    one.number ?? "",
    /^[=+\-@\t\r]/.test(one.build) ? `'${one.build}` : one.build.replace(/[\t\r\n]/g, " "),
    ...numbersOf(one),
    one.share,
  ]);
  return [COLUMNS, ...rows].map((row) => row.join("\t")).join("\n");
}
