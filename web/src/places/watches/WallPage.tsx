import { useQuery } from "@tanstack/react-query";
import { memo, useEffect, useMemo, useState } from "react";
import { Link } from "react-router";
import { queries } from "../../api/queries";
import { applyTheme } from "../../base/tokens";
import { longFor, type Span, stretchOf } from "../../parts/overTime/time";
import { VerdictMark } from "../../parts/VerdictMark";
import { useProject } from "../../state/project";
import { useTab } from "../../state/tab";
import { useTheme } from "../../state/theme";
import { Line } from "./Line";
import { briefly, heading, type Over, rankOf, type Watch } from "./sentences";
import { markOf } from "./WatchRow";

const ASK_MS = 5_000;
const LOST_MS = 20_000;
const LASTS_MS = 24 * 3_600_000;
const MINUTE = 60_000;

/** For a screen on the wall: all watches of a project, dark, to be read from five metres; what is worst first. It says when it has lost its own
 *  connection, so that nobody trusts what is old. */
export function WallPage() {
  const project = useProject();
  const now = useNow();
  const { theme } = useTheme();
  useEffect(() => {
    applyTheme("dark");
    return () => applyTheme(theme);
  }, [theme]);
  const end = Math.ceil(now / MINUTE) * MINUTE;
  const span = useMemo(() => ({ begin: end - LASTS_MS, end }), [end]);
  const stretch = useMemo(() => stretchOf(span), [span]);
  const watches = useQuery({ ...queries.watches(project?.id), refetchInterval: ASK_MS, retry: false });
  const range = useQuery({ ...queries.watchRange(project?.id, stretch), refetchInterval: MINUTE });
  const overs = useMemo(() => new Map(range.data?.items.map((over) => [over.id, over])), [range.data]);
  const items = useMemo(
    () => [...(watches.data?.items ?? [])].sort((one, other) => rankOf(one) - rankOf(other)),
    [watches.data],
  );
  useTab("Wall");
  const old = now - watches.dataUpdatedAt;
  const lost = watches.isFetched && old > LOST_MS;
  const { step, first } = range.data ?? { step: 60, first: stretch.from };
  const axis = useMemo(() => ({ step, first }), [step, first]);
  return (
    <div className="wall" data-lost={lost || undefined}>
      <header className="wall-head">
        <h1>{lost ? `No connection for ${longFor(old / 1000)}: what stands here is old` : heading(items)}</h1>
        <Link to="/watches">{project?.name}</Link>
      </header>
      <ul className={items.length > 24 ? "wall-watches dense" : "wall-watches"}>
        {items.map((watch) => (
          <WallWatch
            key={watch.id}
            watch={watch}
            over={overs.get(watch.id)}
            axis={axis}
            span={span}
            now={watch.standing.state === "good" ? 0 : now}
          />
        ))}
      </ul>
    </div>
  );
}

interface Props {
  watch: Watch;
  over: Over | undefined;
  axis: { step: number; first: string };
  span: Span;
  /** 0: it makes no difference. */
  now: number;
}

const WallWatch = memo(function WallWatch({ watch, over, axis, span, now }: Props) {
  const { state, since, why } = watch.standing;
  const failing = state === "outage" || Boolean(watch.problem);
  return (
    <li className={failing ? "wall-watch trouble" : "wall-watch"}>
      <h2>
        <VerdictMark verdict={markOf(watch)} /> {watch.name}
      </h2>
      {failing || state === "bad" ? (
        <p>
          {since && `for ${longFor((now - Date.parse(since)) / 1000)}`}
          {why && `: ${why}`}
        </p>
      ) : (
        <>
          {watch.lasting.map((one) => (
            <p key={one.kind} className="worse">
              {briefly(one)}
            </p>
          ))}
          <Line over={over} watch={watch} range={axis} span={span} height={40} />
        </>
      )}
    </li>
  );
});

/** The time, each second. */
function useNow(): number {
  const [now, setNow] = useState(Date.now);
  useEffect(() => {
    const timer = window.setInterval(() => setNow(Date.now()), 1_000);
    return () => window.clearInterval(timer);
  }, []);
  return now;
}
