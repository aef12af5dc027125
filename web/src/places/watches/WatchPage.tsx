import { useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { Link, useParams } from "react-router";
import { api, type Shapes } from "../../api";
import { queries } from "../../api/queries";
import { useStale } from "../../api/stale";
import { Notice } from "../../parts/Notice";
import { OverTime, TimeAxis } from "../../parts/overTime/TimeAxis";
import { stretchOf } from "../../parts/overTime/time";
import { useSay } from "../../parts/Said";
import { useProject } from "../../state/project";
import { useTab } from "../../state/tab";
import { Line } from "./Line";
import { Marks } from "./Marks";
import { PhasesOverTime } from "./PhasesOverTime";
import { RunBeside } from "./RunBeside";
import { SpanChoice } from "./SpanChoice";
import { Spread } from "./Spread";
import { sentencesOf } from "./sentences";
import { TroublesHere } from "./Troubles";
import { useBeside } from "./useBeside";
import { useSpan } from "./useSpan";
import { WatchHead } from "./WatchHead";
import { WatchNumbers } from "./WatchNumbers";
import { WatchRuns } from "./WatchRuns";

type Full = Shapes["WatchInFull"];

/** A watch's own page: what it is, its line large, its numbers, its outages, its runs. */
export function WatchPage() {
  const { id = "" } = useParams();
  const [gone, setGone] = useState(false);
  const tell = useStale();
  const say = useSay();
  const watch = useQuery({ ...queries.watch(id), refetchInterval: 5_000, enabled: !gone });
  const back = async () => {
    try {
      await api.bringBackWatch(id);
      setGone(false);
      await tell("watches");
    } catch (problem) {
      say((problem as Error).message);
    }
  };
  if (gone)
    return (
      <div className="page">
        <h1>{watch.data?.name} is watched no more</h1>
        <p>
          What became of it stays.{" "}
          <button type="button" className="plain-button" onClick={() => void back()}>
            Undo
          </button>{" "}
          <Link to="/watches">All watches</Link>
        </p>
      </div>
    );
  if (watch.error)
    return (
      <div className="page">
        <Notice sentence={watch.error.message} retry={() => void watch.refetch()} />
      </div>
    );
  if (!watch.data) return <p className="muted pad">Reading the watch…</p>;
  return <Watched key={id} watch={watch.data} gone={() => setGone(true)} />;
}

function Watched({ watch, gone }: { watch: Full; gone: () => void }) {
  const { span, lasting, look, last, again } = useSpan();
  const stretch = useMemo(() => stretchOf(span), [span]);
  const range = useQuery({ ...queries.rangeOfWatch(watch.id, stretch), refetchInterval: again });
  const project = useProject()?.id;
  const allowances = useQuery(queries.allowances(project));
  const troubles = useQuery(queries.troubles(project, stretch, watch.id));
  const burns = useQuery(queries.burns(watch.id));
  const beside = useBeside();
  useTab(watch.name, watch.standing.state === "outage" ? "failed" : undefined);
  const over = range.data?.items[0];
  const allowance = allowances.data?.items.find((one) => one.id === watch.id);
  const axis = { step: range.data?.step ?? 60, first: range.data?.first ?? stretch.from };
  return (
    <div className="page watch-page">
      <WatchHead watch={watch} gone={gone} />
      <p className={watch.standing.state === "outage" ? "trouble" : undefined}>
        {sentencesOf(watch, over, allowance).join(" ")}
      </p>
      {range.error && <Notice sentence={range.error.message} retry={() => void range.refetch()} />}
      <SpanChoice span={span} lasting={lasting} last={last} />
      <div className={beside.shown ? "watch-columns with-run" : "watch-columns"}>
        <div>
          <OverTime
            className="watch-large"
            span={span}
            look={look}
            pick={(place) => over && void beside.open(watch, over, axis, place, span)}
          >
            <div className="over-time">
              <TimeAxis span={span} />
            </div>
            <div className="over-time">
              <Line over={over} watch={watch} range={axis} span={span} height={180} />
              <Marks troubles={troubles.data?.items ?? []} span={span} />
            </div>
          </OverTime>
          {over && range.data && (
            <div className="watch-charts">
              <PhasesOverTime watch={watch.id} span={span} />
              <Spread spread={range.data.spread} over={over} limitMs={watch.limitMs} />
            </div>
          )}
          {over && <WatchNumbers over={over} allowance={allowance} burns={burns.data?.items ?? []} />}
          {project && (
            <TroublesHere project={project} stretch={stretch} watch={watch.id} open={beside.openAt} />
          )}
          <WatchRuns watch={watch} span={span} again={again} open={beside.show} />
        </div>
        {beside.shown && (
          <RunBeside
            key={beside.shown.at}
            watch={watch.id}
            name={watch.name}
            runs={beside.shown.runs}
            close={beside.close}
          />
        )}
      </div>
    </div>
  );
}
