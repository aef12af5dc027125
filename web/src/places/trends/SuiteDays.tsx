import { Link } from "react-router";
import { day } from "../../base/format";
import { suiteSentence } from "../../parts/overTime/suiteSentence";
import { momentName } from "../../parts/overTime/time";
import type { Suite } from "./sentences";
import { suiteMended } from "./sentences";

interface Props {
  suite: Suite;
  days: string[];
  /** The most cases of any suite that did not pass on a day: as high as a row. */
  most: number;
  search: string;
}

const WIDTH = 700;
const HEIGHT = 38;

/** A suite day by day: how many of its cases did not pass; what is known is paler. */
export function SuiteDays({ suite, days, most, search }: Props) {
  const wide = WIDTH / Math.max(days.length, 1);
  const high = (number: number) => (number / Math.max(most, 3)) * (HEIGHT - 4);
  const bars = suite.days.flatMap(([cases = 0, bad = 0, known = 0, unchecked = 0], n) => {
    if (!cases || !(bad + known)) return [];
    const said = [
      bad && `${bad} of ${cases} failed`,
      known && `${known} known`,
      unchecked && `${unchecked} unchecked`,
    ];
    return [{ n, bad, known, said: `${day(days[n] ?? "")}: ${said.filter(Boolean).join(", ")}` }];
  });
  return (
    <li className="trend-row">
      <div>
        <h3>
          <Link to={`/trends/runs${search ? `${search}&` : "?"}suite=${suite.id}`}>{suite.name}</Link>
        </h3>
        <p className="muted">{suiteMended(suite)}</p>
      </div>
      <div className="over-time">
        <svg
          className="suite-days"
          viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
          preserveAspectRatio="none"
          height={HEIGHT}
          role="img"
          aria-label={`${suite.name}, day by day: ${bars.length ? bars.map((bar) => bar.said).join("; ") : "all that ran passed"}`}
        >
          <path d={`M0 ${HEIGHT - 0.5} H${WIDTH}`} stroke="var(--marsh)" vectorEffect="non-scaling-stroke" />
          {bars.map(({ n, bad, known, said }) => (
            <g key={n}>
              <title>{said}</title>
              <rect
                x={n * wide + 0.8}
                width={Math.max(wide - 1.6, 1)}
                y={HEIGHT - high(bad)}
                height={high(bad)}
                fill="var(--failed)"
              />
              <rect
                className="known-day"
                x={n * wide + 0.8}
                width={Math.max(wide - 1.6, 1)}
                y={HEIGHT - high(bad + known)}
                height={high(known)}
                fill="var(--failed)"
                opacity="0.350"
              />
            </g>
          ))}
        </svg>
      </div>
      <p className={suite.badNow ? "slower" : "muted"}>{suiteSentence(suite, momentName)}</p>
    </li>
  );
}
