import { Link } from "react-router";
import { api, type Shapes } from "../../api";
import { useStale } from "../../api/stale";
import { momentNames } from "../../parts/overTime/time";
import { useSay } from "../../parts/Said";
import { InPlace } from "../../parts/typing/InPlace";
import { VerdictMark } from "../../parts/VerdictMark";
import { useProject } from "../../state/project";
import { Muting } from "./Muting";
import { Understood } from "./Understood";
import { markOf } from "./WatchRow";

type Full = Shapes["WatchInFull"];

/** What it is called, what it does, and what can be done with it. */
export function WatchHead({ watch, gone }: { watch: Full; gone: () => void }) {
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
      <p className="muted small">
        <Muting
          how="of it"
          muted={watch.muted}
          mute={(minutes, said) => void act(() => api.muteWatch(watch.id, minutes), said)}
        />
      </p>
      {watch.next.length > 0 && (
        <p className="muted small" title={`By the clocks of this browser; the watch goes by ${watch.zone}.`}>
          Due {momentNames(watch.next).join(", ")}.
        </p>
      )}
    </>
  );
}
