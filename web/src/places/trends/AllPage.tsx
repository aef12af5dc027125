import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { queries } from "../../api/queries";
import { Notice } from "../../parts/Notice";
import { TimeAxis } from "../../parts/overTime/TimeAxis";
import { Segments } from "../../parts/Segments";
import { useTab } from "../../state/tab";
import { LookChoice } from "./LookChoice";
import { MovedRow } from "./MovedRow";
import { useLook } from "./useLook";

const KINDS = {
  steps: "step",
  cases: "case",
  "shared steps": "shared",
  operations: "operation",
  hosts: "host",
  watches: "watch",
} as const;
type Kinds = keyof typeof KINDS;
const PARTS = 120;

/** Whatever is followed of a kind, that which takes most time first. */
export function AllPage() {
  const looking = useLook();
  const { project, look, span, put, search } = looking;
  const kinds = (Object.keys(KINDS) as Kinds[]).find((one) => KINDS[one] === search.get("kind")) ?? "steps";
  const find = search.get("find") ?? "";
  const found = useQuery(queries.followed(project?.id, look, KINDS[kinds], find));
  useTab("All that is followed");
  if (!project) return null;
  const kept = new URLSearchParams(search);
  for (const name of ["kind", "find"]) kept.delete(name);
  const behind = kept.size ? `?${kept}` : "";
  return (
    <div className="page trends-page">
      <div className="page-head">
        <div>
          <p className="crumb">
            <Link to={`/trends${behind}`}>Trends</Link> ▸ all that is followed
          </p>
          <h1>How long everything took</h1>
        </div>
      </div>
      <LookChoice looking={looking} />
      <div className="look-choice">
        <input
          type="search"
          className="find"
          aria-label="Find what is followed"
          placeholder="name, case, address"
          value={find}
          onChange={(event) => put({ find: event.target.value })}
        />
        <Segments
          label="Of which kind"
          value={kinds}
          options={Object.keys(KINDS) as Kinds[]}
          choose={(next) => put({ kind: KINDS[next] })}
        />
      </div>
      {found.error && <Notice sentence={found.error.message} retry={() => void found.refetch()} />}
      {found.isSuccess && !found.data.items.length && (
        <p className="muted">
          {find ? "Nothing is called so." : "Nothing of this kind ran in this stretch."}
        </p>
      )}
      {found.data && found.data.items.length > 0 && (
        <div className="trend-list">
          <div className="trend-row trend-axis">
            <span />
            <div className="over-time">
              <TimeAxis span={span} most={6} />
            </div>
            <span />
          </div>
          <ul>
            {found.data.items.map((one) => (
              <MovedRow key={one.id} one={one} parts={PARTS} span={span} search={behind} />
            ))}
          </ul>
        </div>
      )}
    </div>
  );
}
