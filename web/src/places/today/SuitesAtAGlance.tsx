import { Link } from "react-router";
import type { Shapes } from "../../api";
import { suiteSentence } from "../../parts/overTime/suiteSentence";
import { momentSaid } from "./sentences";

const WIDTH = 150;
const HEIGHT = 26;
/** So much less than all passing reaches the bottom. */
const DEEP = 0.4;

/** Each suite with the share of its cases that passed, day by day over a month. */
export function SuitesAtAGlance({ suites }: { suites: Shapes["SuitesOverTime"] }) {
  if (!suites.items.length) return null;
  return (
    <section aria-label="Suites at a glance">
      <h2>Suites, the share that passed</h2>
      <ul>
        {suites.items.map((suite) => (
          <li key={suite.id} className="suite-glance">
            <div>
              <p>
                <Link to={`/trends/runs?suite=${suite.id}`}>{suite.name}</Link>
              </p>
              <p className="muted small">{suiteSentence(suite, (moment) => momentSaid(moment))}</p>
            </div>
            <svg
              viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
              width={WIDTH}
              height={HEIGHT}
              role="img"
              aria-label={`${suite.name}: the share that passed over 30 days`}
            >
              <path d={`M0 2H${WIDTH}`} stroke="var(--rail)" strokeDasharray="2 3" />
              <path d={shareLine(suite.days)} fill="none" stroke="var(--marsh)" strokeWidth="1.600" />
            </svg>
          </li>
        ))}
      </ul>
    </section>
  );
}

/** The share as a step; a day without runs is as the day before. */
function shareLine(days: number[][]): string {
  const wide = WIDTH / Math.max(days.length, 1);
  let path = "";
  days.forEach(([cases = 0, bad = 0, known = 0], n) => {
    const from = (n * wide).toFixed(1);
    const to = ((n + 1) * wide).toFixed(1);
    if (!cases) {
      if (path) path += `H${to}`;
      return;
    }
    const missing = Math.min((bad + known) / cases / DEEP, 1);
    const y = (2 + missing * (HEIGHT - 4)).toFixed(1);
    path += path ? `V${y}H${to}` : `M${from} ${y}H${to}`;
  });
  return path;
}
