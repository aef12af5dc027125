import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import type { Shapes } from "../../api";
import { queries } from "../../api/queries";
import { ago, count, duration, size, whole } from "../../base/format";
import { Notice } from "../../parts/Notice";
import { useTab } from "../../state/tab";
import { LookChoice } from "./LookChoice";
import { SuiteChoice } from "./SuiteChoice";
import { useLook } from "./useLook";

type SpentOn = Shapes["SpentOn"];

/** What the time of runs is spent on, and what running cases side by side would save. */
export function SpentPage() {
  const looking = useLook();
  const { project, look, search, put } = looking;
  const suite = search.get("suite") ?? "";
  const found = useQuery(queries.spent(project?.id, look, suite));
  useTab("Where the time goes");
  if (!project) return null;
  const spent = found.data;
  const kept = new URLSearchParams(search);
  kept.delete("suite");
  const behind = kept.size ? `?${kept}` : "";
  const top = spent?.slowest.slice(0, 5).reduce((sum, one) => sum + one.share, 0) ?? 0;
  return (
    <div className="page trends-page">
      <div className="page-head">
        <div>
          <p className="crumb">
            <Link to={`/trends${behind}`}>Trends</Link> ▸ where the time goes
          </p>
          <h1>
            {spent?.us
              ? `${Math.round(100 * top)} % of the time goes into ${count(Math.min(5, spent.slowest.length), "step")}`
              : "Where the time goes"}
          </h1>
          {spent && (
            <p className="muted small">
              {duration(spent.us / 1000)} in all, over {count(spent.steps, "step")}
            </p>
          )}
        </div>
      </div>
      <LookChoice looking={looking} />
      <SuiteChoice suite={suite} choose={(id) => put({ suite: id })} />
      {found.error && <Notice sentence={found.error.message} retry={() => void found.refetch()} />}
      {spent && (
        <div className="spent-columns">
          <div>
            <Bars
              title="Slowest steps"
              items={spent.slowest}
              of={(one) => one.share}
              said={(one) =>
                `${(100 * one.share).toFixed(one.share < 0.1 ? 1 : 0)} %, ${duration(one.median)} each, ${whole(one.number)} times`
              }
              search={behind}
            />
          </div>
          <div>
            {spent.sideBySide && <SideBySide found={spent.sideBySide} />}
            <Bars
              title="Longest waits for an answer"
              items={spent.waits.slice(0, 6)}
              of={(one) => one.waiting ?? 0}
              said={(one) => `waits ${duration(one.waiting)} of ${duration(one.median)}`}
              search={behind}
            />
            <Bars
              title="Largest answers"
              items={spent.largest.slice(0, 6)}
              of={(one) => one.size}
              said={(one) => size(one.size)}
              search={behind}
            />
          </div>
        </div>
      )}
    </div>
  );
}

interface BarsProps {
  title: string;
  items: SpentOn[];
  of: (one: SpentOn) => number;
  said: (one: SpentOn) => string;
  search: string;
}

function Bars({ title, items, of, said, search }: BarsProps) {
  const most = Math.max(...items.map(of), Number.MIN_VALUE);
  if (!items.length) return null;
  return (
    <section aria-label={title}>
      <h2>{title}</h2>
      <ul className="spent-bars">
        {items.map((one) => (
          <li key={one.id}>
            <p>
              <Link to={`/trends/${one.id}${search}`}>{one.name}</Link>{" "}
              <span className="muted">{one.owner?.name}</span>
            </p>
            <div className="spent-bar">
              <span style={{ width: `${(100 * of(one)) / most}%` }} aria-hidden="true" />
            </div>
            <p className="muted">{said(one)}</p>
          </li>
        ))}
      </ul>
    </section>
  );
}

function SideBySide({ found }: { found: Shapes["SideBySide"] }) {
  const { cases, ways, longest, run, at } = found;
  const alone = ways[0]?.ms ?? 0;
  const best = ways.at(-1);
  const less = best && alone ? Math.round(100 * (1 - best.ms / alone)) : 0;
  return (
    <section aria-label="Side by side">
      <h2>Side by side</h2>
      <p>
        {run ? <Link to={`/runs/${run}`}>The last whole run</Link> : "The last whole run"}, {ago(at)}, had{" "}
        {count(cases, "case")}: {duration(alone)} one after the other
        {best && best.jobs > 1 && less > 0
          ? `, ${duration(best.ms)} with ${best.jobs} at once (${less} % less).`
          : "."}{" "}
        The longest case alone takes {duration(longest)}.
      </p>
      <ul className="spent-bars">
        {ways.map((way) => (
          <li key={way.jobs}>
            <p>{way.jobs === 1 ? "one after the other" : `${way.jobs} at once`}</p>
            <div className="spent-bar">
              <span style={{ width: `${(100 * way.ms) / (alone || 1)}%` }} aria-hidden="true" />
            </div>
            <p className="muted">{duration(way.ms)}</p>
          </li>
        ))}
      </ul>
    </section>
  );
}
