import { Link } from "react-router";
import { count } from "../../base/format";
import { verdictLine } from "./lines";
import { type CaseTrust, trustSentences } from "./sentences";

const WIDTH = 400;
const HEIGHT = 16;

/** A case that may be unreliable: its last runs as a step, and what is said of it. */
export function TrustCard({ one }: { one: CaseTrust }) {
  const bad = one.line.filter((verdict) => verdict === "failed" || verdict === "blocked").length;
  return (
    <li className="trust">
      <h3>
        <Link to={`/cases/${one.id}/runs`}>{one.name}</Link>
      </h3>
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        preserveAspectRatio="none"
        height={HEIGHT}
        role="img"
        aria-label={`Its last ${count(one.line.length, "run")}: ${bad} bad`}
      >
        <path
          d={verdictLine(one.line, WIDTH, HEIGHT)}
          fill="none"
          stroke="var(--marsh)"
          strokeWidth="1.600"
          vectorEffect="non-scaling-stroke"
        />
      </svg>
      <p className="muted">
        {trustSentences(one).join(" ")}{" "}
        {one.lastBad && <Link to={`/runs/${one.lastBad.run}?case=${one.id}`}>Look at the last one</Link>}
      </p>
    </li>
  );
}
