import { useState } from "react";
import { Link } from "react-router";
import { api, type RunReport } from "../../api";
import { useStale } from "../../api/stale";
import { ago, exactly } from "../../base/format";
import { InPlace } from "../../parts/typing/InPlace";
import { CompareWith } from "./CompareWith";
import { HandOn } from "./HandOn";
import { Shares } from "./Shares";
import { WatchRun } from "./WatchRun";

interface Props {
  run: RunReport;
  /** How many cases did not pass. */
  bad: number;
  again: (sameData: boolean) => void;
  /** How many cases it never came to, because it was stopped. */
  left: number;
  /** Run these. */
  goOn: () => void;
}

/** What a run is: when, by whom, against what, what was tested, a note; and what can be done with it. */
export function RunHead({ run, bad, again, left, goOn }: Props) {
  const tell = useStale();
  const finished = run.state === "finished";
  const [sharing, setSharing] = useState(false);
  const describe = async (change: { title?: string; build?: string; note?: string }) => {
    try {
      await api.describeRun(run.id, change);
      await tell("run", run.id);
      return undefined;
    } catch (problem) {
      return (problem as Error).message;
    }
  };
  return (
    <>
      <div className="page-head">
        <div>
          <div className="crumb">
            <Link to="/runs">Runs</Link> ▸ {run.number} ·{" "}
            <InPlace
              needs="run"
              text={run.build}
              label="The build that was tested"
              hint="Such as 3.3.0-rc2; a pipeline gives it as build."
              save={(build) => describe({ build: build.trim() })}
            >
              {run.build ? `build ${run.build}` : <span className="add">+ build</span>}
            </InPlace>{" "}
            · started by {run.startedBy} <span title={exactly(run.askedAt)}>{ago(run.askedAt)}</span>
            {run.environment && ` against ${run.environment}`} · seed {run.seed}
            {!run.note && (
              <>
                {" · "}
                <Note run={run} describe={describe} />
              </>
            )}
          </div>
          <h1>
            <InPlace
              needs="run"
              text={run.title}
              label="The title of this run"
              save={(title) =>
                title.trim() ? describe({ title: title.trim() }) : Promise.resolve("A run has a title.")
              }
            >
              {run.title}
            </InPlace>
          </h1>
          {run.note && (
            <div className="run-note">
              <Note run={run} describe={describe} />
            </div>
          )}
        </div>
        <div className="actions">
          {!finished && (
            <button
              data-needs="run"
              type="button"
              className="plain-button danger"
              onClick={() => void api.stop(run.id).catch(() => undefined)}
            >
              Stop this run
            </button>
          )}
          {finished && run.kind !== "removal" && (
            <>
              <button
                data-needs="run"
                type="button"
                className="plain-link"
                title={`What is generated and what time it is are drawn as they were, from seed ${run.seed}`}
                onClick={() => again(true)}
              >
                Run it again with the same data
              </button>
              <CompareWith run={run} />
              <WatchRun run={run} />
              <HandOn run={run} share={() => setSharing(true)} />
              {left > 0 && (
                <button data-needs="run" type="button" className="plain-button" onClick={goOn}>
                  Go on with the {left === 1 ? "one" : left} left
                </button>
              )}
              <button
                data-needs="run"
                type="button"
                className="plain-button strong"
                onClick={() => again(false)}
              >
                {bad ? "Run what did not pass again" : "Run it again"}
              </button>
            </>
          )}
        </div>
      </div>
      {sharing && <Shares run={run.id} close={() => setSharing(false)} />}
    </>
  );
}

function Note({
  run,
  describe,
}: {
  run: RunReport;
  describe: (change: { note: string }) => Promise<string | undefined>;
}) {
  return (
    <InPlace
      needs="run"
      text={run.note}
      label="A note on this run"
      lines
      hint="What a reader should know of it."
      save={(note) => describe({ note: note.trim() })}
    >
      {run.note || <span className="add">+ note</span>}
    </InPlace>
  );
}
