import { useQuery } from "@tanstack/react-query";
import { useCallback, useEffect, useState } from "react";
import { useNavigate, useSearchParams } from "react-router";
import { api, type RunEvent } from "../../api";
import { queries } from "../../api/queries";
import { useStale } from "../../api/stale";
import { onDay } from "../../base/format";
import { Notice } from "../../parts/Notice";
import { RunButton } from "../../parts/RunButton";
import { Segments } from "../../parts/Segments";
import { useEvents } from "../../state/events";
import { useProject } from "../../state/project";
import { useStart, useWhere } from "../../state/run";
import { useRunWays } from "../../state/runWays";
import { useTab } from "../../state/tab";
import { DoneLately } from "./DoneLately";
import { SuitesAtAGlance } from "./SuitesAtAGlance";
import { heading, standing } from "./sentences";
import { TodayLine } from "./TodayLine";

const DAY_MS = 86_400_000;
const TOLD_BY = ["run finished", "watch turned", "known changed", "case changed"];
/** Since when, by how one says it. */
const SINCE = {
  "the last working day": () => "working day",
  "I was here last": () => "here",
  "a day ago": (now: number) => new Date(now - DAY_MS).toISOString(),
  "a week ago": (now: number) => new Date(now - 7 * DAY_MS).toISOString(),
};
type Since = keyof typeof SINCE;
const SINCES = Object.keys(SINCE) as Since[];
const MINUTE = 60_000;

/** What is worth a look, worst first; the suites at a glance; who did what. */
export function TodayPage() {
  const project = useProject();
  const [search, setSearch] = useSearchParams();
  const [now] = useState(() => Math.floor(Date.now() / MINUTE) * MINUTE);
  const since = SINCES.find((one) => one === search.get("since")) ?? "the last working day";
  const found = useQuery(queries.today(project?.id, SINCE[since](now)));
  const [month] = useState(() => ({
    from: new Date(now - 30 * DAY_MS).toISOString(),
    to: new Date(now + MINUTE).toISOString(),
    environment: "",
  }));
  const suites = useQuery(queries.suitesOverTime(project?.id, month));
  const watches = useQuery(queries.watches(project?.id)).data?.items ?? [];
  const tell = useStale();
  const refresh = useCallback(
    (event: RunEvent) => {
      if (TOLD_BY.includes(event.type)) void tell("today");
    },
    [tell],
  );
  useEvents(project?.id, refresh);
  const id = project?.id;
  useEffect(() => {
    if (id) void api.lookedAtToday(id).catch(() => undefined);
  }, [id]);
  const today = found.data;
  const items = today?.items ?? [];
  const title = today ? heading(items, today.since) : "Today";
  useTab(title, today && (title.startsWith("Nothing broke") ? "passed" : "failed"));
  if (!project) return null;
  const fails = watches.filter((watch) => watch.standing.state === "outage").length;
  return (
    <div className="page today-page">
      <div className="page-head">
        <div>
          <h1>{title}</h1>
          <p className="muted">
            {[onDay(new Date(now).toISOString()), standing(suites.data?.all, { fails, of: watches.length })]
              .filter(Boolean)
              .join(" · ")}
          </p>
        </div>
        <RunEverything />
      </div>
      {found.error && <Notice sentence={found.error.message} retry={() => void found.refetch()} />}
      <div className="today-columns">
        <section aria-label="Worth a look">
          <div className="today-head">
            <h2>Worth a look, worst first</h2>
            <span className="today-since">
              <span className="muted">since</span>
              <Segments
                label="Since when"
                value={since}
                options={SINCES.filter(
                  (one) => one !== "I was here last" || today?.lastHere || one === since,
                )}
                choose={(next) => setSearch({ since: next })}
              />
            </span>
          </div>
          {today && items.length === 0 && <AllWell any={Boolean(suites.data?.all.runs)} />}
          <ul>
            {items.map((item) => (
              <TodayLine key={`${item.kind} ${item.what} ${item.id}`} item={item} />
            ))}
          </ul>
        </section>
        <aside>
          {suites.data && <SuitesAtAGlance suites={suites.data} />}
          {today && <DoneLately done={today.done} />}
        </aside>
      </div>
    </div>
  );
}

/** "Run every suite against Rehearsal". */
function RunEverything() {
  const navigate = useNavigate();
  const start = useStart();
  const [where, choose, environments] = useWhere();
  const [ways, chooseWays] = useRunWays();
  const run = async () => {
    const begun = await start(ways, where);
    if (begun) void navigate(`/runs/${begun.id}`);
  };
  if (!environments.length) return null;
  return (
    <RunButton
      what="every suite"
      environment={where[0]}
      others={where.slice(1)}
      environments={environments}
      choose={(name) => choose([name])}
      run={() => void run()}
      ways={ways}
      chooseWays={chooseWays}
      running={false}
      stop={() => undefined}
    />
  );
}

function AllWell({ any }: { any: boolean }) {
  return (
    <p className="teach">
      {any
        ? "Nothing needs you: all that ran was good, and nothing became slower."
        : "Nothing has run yet. Once suites run, here stands each morning what broke, what became slower, and what recovered."}
    </p>
  );
}
