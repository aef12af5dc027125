import { memo } from "react";
import { Link } from "react-router";
import type { Span } from "../../parts/overTime/time";
import { type MarkKind, VerdictMark } from "../../parts/VerdictMark";
import { Line } from "./Line";
import { Marks } from "./Marks";
import { type Allowance, type Over, sentencesOf, type Watch } from "./sentences";
import type { Trouble } from "./Troubles";
import { useNear } from "./useNear";

interface Props {
  watch: Watch;
  over: Over | undefined;
  allowance: Allowance | undefined;
  /** What went wrong in the stretch. */
  troubles: Trouble[] | undefined;
  range: { step: number; first: string };
  span: Span;
}

const HEIGHT = 52;

/** One watch: what it is, its line, how it stands; what is far out of view holds its place. */
export const WatchRow = memo(function WatchRow({ watch, over, allowance, troubles, range, span }: Props) {
  const { row, near } = useNear<HTMLLIElement>();
  const bad = watch.standing.state === "outage" || Boolean(watch.problem);
  return (
    <li className="watch-row" data-watch={watch.id} ref={row}>
      <div>
        <h3>
          <VerdictMark verdict={markOf(watch)} /> <Link to={`/watches/${watch.id}`}>{watch.name}</Link>
        </h3>
        <p className="muted">
          {watch.when}
          {watch.environment && ` against ${watch.environment}`}
          {watch.supplier && `; ${watch.supplier}`}
        </p>
      </div>
      <div className="over-time">
        {near && (
          <>
            <Line over={over} watch={watch} range={range} span={span} height={HEIGHT} />
            {troubles && <Marks troubles={troubles} span={span} />}
          </>
        )}
      </div>
      {near && <p className={bad ? "trouble" : undefined}>{sentencesOf(watch, over, allowance).join(" ")}</p>}
    </li>
  );
});

/** The verdict that its last run had, or why there is none. */
export function markOf(watch: Watch): MarkKind {
  const { state, fate } = watch.standing;
  if (watch.problem) return "blocked";
  if (state === "off") return "skipped";
  if (state === "new") return "waiting";
  if (state === "own side") return "blocked";
  if (fate === "slow" || fate === "failed") return "failed";
  if (fate === "blocked") return "blocked";
  return fate === "unchecked" ? "unchecked" : "passed";
}
