import { useQuery } from "@tanstack/react-query";
import { Link, useParams } from "react-router";
import type { Shapes } from "../../api";
import { queries } from "../../api/queries";
import { ago, count, duration, exactly } from "../../base/format";
import { Notice } from "../../parts/Notice";
import { OverTime, TimeAxis } from "../../parts/overTime/TimeAxis";
import { momentName } from "../../parts/overTime/time";
import { Phases } from "../../parts/Phases";
import { useTab } from "../../state/tab";
import { LookChoice } from "./LookChoice";
import { asEver, movedSentence, whose } from "./sentences";
import { TrendLine } from "./TrendLine";
import { useLook } from "./useLook";

type Series = Shapes["Series"];
const HEIGHT = 190;
const KINDS = {
  case: "a case",
  step: "a step",
  shared: "shared steps",
  operation: "an operation",
  host: "a host",
  watch: "a watch",
} as const;

/** How long one thing took: its line, where the level changed and what came about then, where the time goes. */
export function SeriesPage() {
  const { id = "" } = useParams();
  const looking = useLook();
  const { look, span, put, search } = looking;
  const found = useQuery(queries.series(id, look));
  const one = found.data;
  useTab(one?.name ?? "Trends");
  if (found.error)
    return (
      <div className="page">
        <Notice sentence={found.error.message} retry={() => void found.refetch()} />
      </div>
    );
  if (!one) return null;
  const kept = search.size ? `?${search}` : "";
  const [last] = one.shifts.slice(-1);
  return (
    <div className="page trends-page">
      <div className="page-head">
        <div>
          <p className="crumb">
            <Link to={`/trends${kept}`}>Trends</Link> ▸ {KINDS[one.kind]}
          </p>
          <h1>{one.name}</h1>
          <p className="muted">
            <Whose one={one} /> {count(one.runs, "run")} in this stretch
          </p>
        </div>
      </div>
      <LookChoice looking={looking} of={one.environment} />
      <p className={last ? (last.ratio > 1 ? "slower" : "quicker") : undefined}>
        {last ? movedSentence(last) : asEver(one.usual)}
      </p>
      <OverTime
        className="trend-list"
        span={span}
        look={(at) =>
          put({ from: new Date(at.begin).toISOString(), to: new Date(at.end).toISOString() }, ["over"])
        }
      >
        <div className="over-time">
          <TrendLine
            label={`${one.name}: ${asEver(one.usual)}`}
            line={one.line}
            parts={one.parts}
            span={span}
            shifts={one.shifts}
            height={HEIGHT}
          />
          <TimeAxis span={span} />
        </div>
      </OverTime>
      <p className="muted small">
        The line is the usual time of the runs of a while, the band reaches up to the slowest twentieth; the
        top is {duration(topOf(one))}.
      </p>
      <div className="series-more">
        <Happened one={one} />
        {one.phases && <Where phases={one.phases} before={one.phasesBefore} />}
      </div>
    </div>
  );
}

const topOf = (one: Series): number =>
  (Math.max(...one.line.map(([, median = 0, p95 = 0]) => Math.max(median, p95)), 1) * 1.1) / 1000;

function Whose({ one }: { one: Series }) {
  if (one.kind === "step" && one.owner?.kind === "case")
    return (
      <>
        of <Link to={`/cases/${one.owner.id}`}>{one.owner.name}</Link> ·
      </>
    );
  return <>{whose(one)} ·</>;
}

/** Shifts, builds and edits, one after the other. */
function Happened({ one }: { one: Series }) {
  const events = [
    ...one.shifts.map((shift) => ({ at: shift.at, said: movedSentence(shift), run: shift.run })),
    ...one.builds.map((build) => ({ at: build.at, said: `Build ${build.build} came`, run: build.run })),
    ...one.edits.map((edit) => ({ at: edit.at, said: "The case had been edited", run: edit.run })),
  ].sort((one, other) => other.at.localeCompare(one.at));
  return (
    <section aria-label="What happened then">
      <h2>What happened then</h2>
      {!events.length && <p className="muted small">No shift, no new build, no edit in this stretch.</p>}
      <ul className="lines">
        {events.map((event) => (
          <li key={`${event.at} ${event.said}`} className="series-event">
            <span className="muted" title={exactly(event.at)}>
              {momentName(event.at)}
            </span>
            <span>{event.said}</span>
            {event.run && <Link to={`/runs/${event.run}`}>{`the run, ${ago(event.at)}`}</Link>}
          </li>
        ))}
      </ul>
    </section>
  );
}

type Times = NonNullable<Series["phases"]>;

/** Which phase takes most, or changed most where the level did. */
function Where({ phases, before }: { phases: Times; before: Series["phases"] }) {
  const grew = before && largest((name) => Math.abs(phases[name] - before[name]));
  const most = largest((name) => phases[name]);
  return (
    <section aria-label="Where the time goes">
      <h2>Where the time goes</h2>
      <p>
        {grew
          ? `What changed is ${grew}: ${duration(before[grew])} to ${duration(phases[grew])}.`
          : `Most of it is ${most}.`}
      </p>
      {before && <Bar times={before} name="before" />}
      <Bar times={phases} name={before ? "since" : ""} />
    </section>
  );
}

const NAMES = ["connecting", "waiting", "receiving"] as const;
const largest = (of: (name: (typeof NAMES)[number]) => number): (typeof NAMES)[number] =>
  NAMES.reduce((one, other) => (of(other) > of(one) ? other : one));

function Bar({ times, name }: { times: Times; name: string }) {
  const { connecting, waiting, receiving } = times;
  const total = connecting + waiting + receiving;
  return (
    <>
      {name && <p className="muted small">{name}</p>}
      <Phases times={{ lookup: 0, connect: connecting, tls: 0, waiting, receiving, total }} />
    </>
  );
}
