import { useQuery } from "@tanstack/react-query";
import { useCallback, useMemo, useState } from "react";
import { Link, useSearchParams } from "react-router";
import type { RunEvent } from "../../api";
import { queries } from "../../api/queries";
import { useStale } from "../../api/stale";
import { Notice } from "../../parts/Notice";
import { OverTime, TimeAxis } from "../../parts/overTime/TimeAxis";
import { momentName, stretchOf } from "../../parts/overTime/time";
import { Segments } from "../../parts/Segments";
import { useEvents } from "../../state/events";
import { useProject } from "../../state/project";
import { useTab } from "../../state/tab";
import { grouped, ORDERS, type Order } from "./groups";
import { RunBeside } from "./RunBeside";
import { SpanChoice } from "./SpanChoice";
import { account, heading } from "./sentences";
import { byWatch, TroublesHere } from "./Troubles";
import { useBeside } from "./useBeside";
import { useSpan } from "./useSpan";
import { WatchRow } from "./WatchRow";

/** Milliseconds more between looks for each watch, since one look brings all of them. */
const LATER_MS = 30;

/** All watches on one time axis, what is worst first; a click on a line opens the run that was there. */
export function WatchesPage() {
  const project = useProject();
  const { span, lasting, look, last, again } = useSpan();
  const stretch = useMemo(() => stretchOf(span), [span]);
  const watches = useQuery({ ...queries.watches(project?.id), refetchInterval: 10_000 });
  const later = again && Math.max(again, (watches.data?.items.length ?? 0) * LATER_MS);
  const range = useQuery({ ...queries.watchRange(project?.id, stretch), refetchInterval: later });
  const allowances = useQuery({ ...queries.allowances(project?.id), refetchInterval: 60_000 });
  const tell = useStale();
  const refresh = useCallback(
    (event: RunEvent) => {
      if (event.type === "watch turned") void tell("watches");
    },
    [tell],
  );
  useEvents(project?.id, refresh);
  const items = useMemo(() => watches.data?.items ?? [], [watches.data]);
  const failing = items.some((watch) => watch.standing.state === "outage");
  useTab("Watches", items.length ? (failing ? "failed" : "passed") : undefined);
  const overs = useMemo(() => new Map(range.data?.items.map((over) => [over.id, over])), [range.data]);
  const left = useMemo(() => new Map(allowances.data?.items.map((one) => [one.id, one])), [allowances.data]);
  const troubles = useQuery(queries.troubles(project?.id, stretch));
  const wrong = useMemo(() => byWatch(troubles.data?.items ?? []), [troubles.data]);
  const [search, setSearch] = useSearchParams();
  const wanted = search.get("find") ?? "";
  const [order, setOrder] = useState<Order>("by trouble");
  const groups = useMemo(() => grouped(items, overs, wanted, order), [items, overs, wanted, order]);
  const beside = useBeside();
  const soonest = items.flatMap(({ nextAt }) => nextAt ?? []).sort()[0];
  const { step, first } = range.data ?? { step: 60, first: stretch.from };
  const axis = useMemo(() => ({ step, first }), [step, first]);
  if (!project) return null;
  return (
    <div className={beside.shown ? "page watches-page with-run" : "page watches-page"}>
      <div className="page-head">
        <h1>{watches.isSuccess ? heading(items) : "Watches"}</h1>
        <span className="watch-acts">
          <Link className="plain-button" to="/watches/wall">
            Wall
          </Link>
          <Link className="plain-button" to="/watches/report">
            Supplier report
          </Link>
          <Link className="plain-button" to="/watches/routes">
            Who is told
          </Link>
          <Link className="run-button" data-needs="edit" to="/watches/new">
            New watch
          </Link>
        </span>
      </div>
      {items.length > 0 && (
        <p className="muted">
          {soonest && `Next run ${nextIn(soonest)} · `}
          {range.data && account(range.data.items, momentName(range.data.from))}
        </p>
      )}
      {watches.error && <Notice sentence={watches.error.message} retry={() => void watches.refetch()} />}
      {range.error && <Notice sentence={range.error.message} retry={() => void range.refetch()} />}
      {watches.isSuccess && items.length === 0 && <NoWatches />}
      {items.length > 0 && (
        <>
          <div className="watch-tools">
            <input
              type="search"
              aria-label="Find watches"
              placeholder="name, tag, supplier, environment"
              value={wanted}
              onChange={(event) =>
                setSearch(
                  (before) => {
                    const next = new URLSearchParams(before);
                    if (event.target.value) next.set("find", event.target.value);
                    else next.delete("find");
                    return next;
                  },
                  { replace: true },
                )
              }
            />
            <Segments label="In which order" value={order} options={ORDERS} choose={setOrder} />
            <SpanChoice span={span} lasting={lasting} last={last} />
          </div>
          <div className="watch-columns">
            <OverTime
              className="watch-list"
              span={span}
              look={look}
              pick={(place, target) => {
                const id = (target as Element).closest("[data-watch]")?.getAttribute("data-watch");
                const over = id ? overs.get(id) : undefined;
                const watch = items.find((one) => one.id === id);
                if (over && watch) void beside.open(watch, over, axis, place, span);
              }}
            >
              <div className="watch-row watch-axis">
                <span className="muted">drag on the time to look closer</span>
                <div className="over-time">
                  <TimeAxis span={span} />
                </div>
                <span className="muted">{lasting ? "as of now" : ""}</span>
              </div>
              {groups.map(([name, group]) => (
                <section key={name} aria-label={name || "Watches"}>
                  {name && <h2>{name}</h2>}
                  <ul className="watch-lines">
                    {group.map((watch) => (
                      <WatchRow
                        key={watch.id}
                        watch={watch}
                        over={overs.get(watch.id)}
                        allowance={left.get(watch.id)}
                        troubles={wrong.get(watch.id)}
                        range={axis}
                        span={span}
                      />
                    ))}
                  </ul>
                </section>
              ))}
              {groups.length === 0 && <p className="muted">No watch has these words.</p>}
            </OverTime>
            {beside.shown && (
              <RunBeside
                key={beside.shown.watch.id + beside.shown.at}
                watch={beside.shown.watch.id}
                name={beside.shown.watch.name}
                runs={beside.shown.runs}
                close={beside.close}
              />
            )}
          </div>
          <p className="muted small">
            Line and band: the usual and the slowest answers. Dotted: the limit. Brick: a check failed, or it
            took too long. Ochre, hatched: no answer.
          </p>
          <TroublesHere project={project.id} stretch={stretch} open={beside.openAt} />
        </>
      )}
    </div>
  );
}

function NoWatches() {
  return (
    <p>
      A watch runs a case or a suite again and again against one environment, and says when it breaks and when
      it recovers. Open a case under <Link to="/cases">Cases</Link> and choose <em>watch this</em>, or make a{" "}
      <Link to="/watches/new">new watch</Link>.
    </p>
  );
}

function nextIn(moment: string): string {
  const seconds = Math.round((Date.parse(moment) - Date.now()) / 1000);
  return seconds > 90 ? `at ${momentName(moment)}` : `in ${Math.max(seconds, 0)} s`;
}
