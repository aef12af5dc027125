import { Link } from "react-router";
import { count, exactly } from "../../base/format";
import type { Span } from "../../parts/overTime/time";
import { asEver, type Followed, movedSentence, whose } from "./sentences";
import { TrendLine } from "./TrendLine";

interface Props {
  one: Followed;
  parts: number;
  span: Span;
  /** What of the address goes with it. */
  search: string;
}

const HEIGHT = 46;

/** One thing that is followed: what it is, its line, what became of it. */
export function MovedRow({ one, parts, span, search }: Props) {
  const { moved } = one;
  const said = moved ? movedSentence(moved) : asEver(one.usual);
  return (
    <li className="trend-row">
      <div>
        <h3>
          <Link
            to={one.kind === "watch" ? `/watches/${one.id}` : `/trends/${one.id}${search}`}
            className={one.kind === "operation" ? "mono" : undefined}
          >
            {one.name}
          </Link>
        </h3>
        <p className="muted">{whose(one)}</p>
      </div>
      <div className="over-time">
        <TrendLine
          label={`${one.name}: ${said}`}
          line={one.line}
          parts={parts}
          span={span}
          shifts={moved ? [moved] : []}
          height={HEIGHT}
        />
      </div>
      <p
        className={moved ? (moved.ratio > 1 ? "slower" : "quicker") : "muted"}
        title={moved ? exactly(moved.at) : undefined}
      >
        {said}
        {moved && one.with > 0 && <span className="muted">; with it {count(one.with, "case")}</span>}
      </p>
    </li>
  );
}
