import { useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { Link, useParams } from "react-router";
import { api, type Shapes } from "../../api";
import { queries } from "../../api/queries";
import { useStale } from "../../api/stale";
import { count, duration } from "../../base/format";
import { Notice } from "../../parts/Notice";
import { useSay } from "../../parts/Said";
import { InPlace } from "../../parts/typing/InPlace";
import { VerdictMark } from "../../parts/VerdictMark";
import { useProject } from "../../state/project";
import { useTab } from "../../state/tab";
import { Line } from "./Line";
import { OutagesHere } from "./Outages";
import { isBad, RunBeside, runMark, runSentence } from "./RunBeside";
import { SpanChoice } from "./SpanChoice";
import { type Allowance, type Over, sentencesOf } from "./sentences";
import { OverTime, TimeAxis } from "./TimeAxis";
import { longFor, momentName, momentNames, type Span, stretchOf } from "./time";
import { Understood } from "./Understood";
import { useBeside } from "./useBeside";
import { useSpan } from "./useSpan";
import { markOf } from "./WatchRow";

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
  const beside = useBeside();
  useTab(watch.name, watch.standing.state === "outage" ? "failed" : undefined);
  const over = range.data?.items[0];
  const allowance = allowances.data?.items.find((one) => one.id === watch.id);
  const axis = { step: range.data?.step ?? 60, first: range.data?.first ?? stretch.from };
  return (
    <div className="page watch-page">
      <Head watch={watch} gone={gone} />
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
            </div>
          </OverTime>
          {over && <Numbers over={over} allowance={allowance} />}
          {project && <OutagesHere project={project} stretch={stretch} watch={watch.id} />}
          <Runs watch={watch} span={span} again={again} open={beside.show} />
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

/** What it is called, what it does, and what can be done with it. */
function Head({ watch, gone }: { watch: Full; gone: () => void }) {
  const tell = useStale();
  const say = useSay();
  const project = useProject()?.id ?? "";
  const off = watch.standing.state === "off";
  const change = async (what: Shapes["WatchChange"]): Promise<string | undefined> => {
    try {
      await api.changeWatch(watch.id, watch.version, what);
      return undefined;
    } catch (problem) {
      return (problem as Error).message;
    } finally {
      await tell("watches");
    }
  };
  const act = async (does: () => Promise<unknown>, said: string) => {
    try {
      await does();
      say(said);
    } catch (problem) {
      say((problem as Error).message);
    } finally {
      await tell("watches");
    }
  };
  const remove = async () => {
    try {
      await api.removeWatch(watch.id);
      gone();
    } catch (problem) {
      say((problem as Error).message);
    }
  };
  const place = { case: `/cases/${watch.target}`, suite: `/cases/suite/${watch.target}`, tag: "" }[watch.of];
  return (
    <>
      <div className="page-head">
        <h1>
          <span className="crumb">
            <Link to="/watches">Watches</Link> ▸
          </span>{" "}
          <VerdictMark verdict={markOf(watch)} />{" "}
          <InPlace text={watch.name} label="What the watch is called" save={(name) => change({ name })}>
            {watch.name}
          </InPlace>
        </h1>
        <span className="watch-acts">
          {!off && (
            <button
              type="button"
              className="plain-button"
              data-needs="run"
              onClick={() => void act(() => api.runWatch(watch.id), "It runs now.")}
            >
              Run it now
            </button>
          )}
          <button
            type="button"
            className="plain-button"
            data-needs="edit"
            onClick={() => void change({ off: !off }).then((problem) => problem && say(problem))}
          >
            {off ? "Turn it on" : "Turn it off"}
          </button>
          <button
            type="button"
            className="plain-button danger"
            data-needs="edit"
            onClick={() => void remove()}
          >
            Watch no more
          </button>
        </span>
      </div>
      <p className="watch-sentence">
        {watch.of === "suite" ? "The suite " : ""}
        {watch.target && place ? <Link to={place}>{watch.targetName}</Link> : watch.targetName},{" "}
        <InPlace
          text={watch.sentence}
          label="When, where and what is expected"
          hint="Such as every minute against Live, at most 0.5 s, available 99.9 %, bad after 2"
          save={(sentence) => change({ sentence })}
          below={(typed) => <Understood project={project} sentence={typed} />}
        >
          {watch.sentence}
        </InPlace>
        {" · "}
        <InPlace
          text={watch.supplier}
          label="Whose service it is"
          hint="If it is somebody else's; empty: your own."
          save={(supplier) => change({ supplier })}
        >
          {watch.supplier || <span className="add small">+ supplier</span>}
        </InPlace>
        {" · "}
        <InPlace
          text={watch.tags.join(", ")}
          label="The watch's tags"
          hint="With commas between them."
          save={(tags) =>
            change({
              tags: tags
                .split(",")
                .map((tag) => tag.trim())
                .filter(Boolean),
            })
          }
        >
          {watch.tags.join(", ") || <span className="add small">+ tags</span>}
        </InPlace>
      </p>
      <MuteSentence watch={watch} act={act} />
      {watch.next.length > 0 && (
        <p className="muted small" title={`By the clocks of this browser; the watch goes by ${watch.zone}.`}>
          Due {momentNames(watch.next).join(", ")}.
        </p>
      )}
    </>
  );
}

const MUTES: [number, string][] = [
  [30, "30 min"],
  [120, "2 h"],
  [480, "8 h"],
  [1440, "a day"],
];

interface MuteProps {
  watch: Full;
  act: (does: () => Promise<unknown>, said: string) => Promise<void>;
}

/** Whether people are told of it now. */
function MuteSentence({ watch, act }: MuteProps) {
  if (watch.muted.until)
    return (
      <p className="muted small">
        Nobody is told of it until {momentName(watch.muted.until)} ({watch.muted.by}).{" "}
        <button
          type="button"
          className="plain-link"
          data-needs="edit"
          onClick={() => void act(() => api.muteWatch(watch.id, 0), "People are told of it again.")}
        >
          Tell people again
        </button>
      </p>
    );
  return (
    <p className="muted small" data-needs="edit">
      Tell nobody of it for{" "}
      {MUTES.map(([minutes, name]) => (
        <button
          key={minutes}
          type="button"
          className="plain-link mute"
          onClick={() =>
            void act(() => api.muteWatch(watch.id, minutes), `Nobody is told of it for ${name}.`)
          }
        >
          {name}
        </button>
      ))}
    </p>
  );
}

/** The stretch in numbers, with how they are made. */
function Numbers({ over, allowance }: { over: Over; allowance: Allowance | undefined }) {
  const facts: [string, string][] = [
    ["available", over.availability === null ? "unknown" : `${percent(over.availability)} %`],
    ["good, bad, not counted", [over.goodSeconds, over.badSeconds, over.leftSeconds].map(longFor).join(", ")],
    ["runs", `${count(over.runs, "run")}, ${over.bad} bad`],
    ["half within", over.medianMs === null ? "unknown" : duration(over.medianMs)],
    ["95 of 100 within", over.p95Ms === null ? "unknown" : duration(over.p95Ms)],
    [
      "quickest, slowest",
      over.lowMs === null ? "unknown" : `${duration(over.lowMs)}, ${duration(over.highMs)}`,
    ],
  ];
  if (allowance)
    facts.push([
      `promised ${percent(allowance.available)} % ${allowance.days ? `in ${count(allowance.days, "day")}` : "this month"}`,
      `${longFor(allowance.usedSeconds)} of ${longFor(allowance.allowedSeconds)} used`,
    ]);
  return (
    <>
      <dl className="watch-numbers">
        {facts.map(([name, shown]) => (
          <div key={name}>
            <dt>{name}</dt>
            <dd>{shown}</dd>
          </div>
        ))}
      </dl>
      <p className="muted small">
        Available = good time / (good + bad time). A run's fate holds from when it was due to when the next
        one was; agreed maintenance, our own side and what nobody watched count neither way.
      </p>
    </>
  );
}

const percent = (share: number) => Number((Math.floor(share * 1e6) / 1e4).toFixed(share > 0.999 ? 4 : 2));

const SOME = 50;

interface RunsProps {
  watch: Full;
  span: Span;
  again: number | false;
  open: (shown: { watch: Full; at: number; runs: Shapes["WatchRun"][] }) => void;
}

/** The newest runs of the stretch, or only the bad ones. */
function Runs({ watch, span, again, open }: RunsProps) {
  const [bad, setBad] = useState(false);
  const [most, setMost] = useState(SOME);
  const found = useQuery({
    ...queries.watchRuns(watch.id, stretchOf(span), bad, most),
    refetchInterval: again,
  });
  const items = found.data?.items ?? [];
  return (
    <section aria-label="Runs">
      <div className="watch-runs-head">
        <h2>Runs</h2>
        <label>
          <input type="checkbox" checked={bad} onChange={() => setBad(!bad)} /> only bad ones
        </label>
      </div>
      {found.isSuccess && !items.length && (
        <p className="muted">{bad ? "No bad run here." : "No run here."}</p>
      )}
      <ul className="lines">
        {items.map((run) => (
          <li key={`${run.due} ${run.fate}`} className="watch-run">
            <VerdictMark verdict={runMark(run)} />
            <button
              type="button"
              className={isBad(run) ? "plain-link trouble" : "plain-link"}
              onClick={() => open({ watch, at: Date.parse(run.due), runs: [run] })}
            >
              {runSentence(run)}
            </button>
          </li>
        ))}
      </ul>
      {found.data?.next && (
        <button type="button" className="plain-link" onClick={() => setMost(Math.min(most * 4, 1000))}>
          Earlier ones
        </button>
      )}
    </section>
  );
}
