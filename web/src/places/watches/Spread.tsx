import type { Shapes } from "../../api";
import { count, duration } from "../../base/format";
import type { Over } from "./sentences";

interface Props {
  spread: Shapes["RangeOfWatch"]["spread"];
  over: Over;
  limitMs: number | null;
}

const WIDTH = 700;
const HEIGHT = 70;

/** How long answers took, from the quickest to the slowest: the height says how many. */
export function Spread({ spread, over, limitMs }: Props) {
  const [first, last] = [spread[0], spread.at(-1)];
  if (!first || !last || over.medianMs === null || over.p95Ms === null) return null;
  // times stand by their logarithm, so that what is twice as long lies as far away everywhere
  const begin = Math.log(Math.max(first.from, 0.1));
  const end = Math.max(Math.log(Math.max(last.to, 0.2)), begin + 0.1);
  const x = (ms: number) => ((Math.log(Math.max(ms, 0.1)) - begin) / (end - begin)) * WIDTH;
  const most = Math.max(...spread.map((one) => one.answers));
  const mark = (ms: number, said: string, line: "first" | "second") => (
    <span
      className={`spread-mark ${line}${x(ms) > WIDTH * 0.75 ? " before" : ""}`}
      style={{ left: `${((x(ms) / WIDTH) * 100).toFixed(2)}%` }}
    >
      {said} {duration(ms)}
    </span>
  );
  return (
    <section aria-label="How long answers took">
      <h2>How long answers took</h2>
      <div className="spread">
        <svg
          className="watch-line"
          viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
          preserveAspectRatio="none"
          height={HEIGHT}
          role="img"
          aria-label={`From ${duration(first.from)} to ${duration(last.to)}, half within ${duration(over.medianMs)}`}
        >
          {spread.map((one) => {
            // the square root, so that the few slow ones are seen, too
            const height = Math.max(Math.sqrt(one.answers / most) * (HEIGHT - 2), 1);
            return (
              <rect
                key={one.from}
                className={limitMs !== null && one.from >= limitMs ? "beyond" : "within"}
                x={x(one.from)}
                y={HEIGHT - height}
                width={Math.max(x(one.to) - x(one.from) - 0.6, 0.6)}
                height={height}
              >
                <title>{`${duration(one.from)} to ${duration(one.to)}: ${count(one.answers, "answer")}`}</title>
              </rect>
            );
          })}
        </svg>
        {mark(over.medianMs, "half", "first")}
        {mark(over.p95Ms, "95 of 100", "second")}
      </div>
    </section>
  );
}
