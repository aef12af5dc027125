import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import type { Outcome, Shapes, StepEvidence } from "../../api";
import { queries } from "../../api/queries";
import { duration } from "../../base/format";
import { Evidence } from "../../parts/Evidence";
import { Notice } from "../../parts/Notice";
import { momentName } from "../../parts/overTime/time";
import { type MarkKind, VerdictMark } from "../../parts/VerdictMark";

type Run = Shapes["WatchRun"];
type Attempt = Shapes["WatchAttempt"];

interface Props {
  /** The watch's id and name. */
  watch: string;
  name: string;
  /** The runs at the place that was clicked, the newest first. */
  runs: Run[];
  close: () => void;
}

const SAID: Record<Run["fate"], string> = {
  passed: "passed",
  failed: "failed",
  blocked: "was blocked",
  unchecked: "checked nothing",
  slow: "took longer than its limit",
  skipped: "was skipped: the one before was still under way",
  interrupted: "was interrupted: Salt Path ended before it had",
  unwatched: "nobody watched from here on",
};

/** A run of a watch and its exchange, or what is left of it. */
export function RunBeside({ watch, name, runs, close }: Props) {
  const [chosen, setChosen] = useState<string>();
  const run = runs.find((item) => item.due === chosen) ?? worst(runs);
  const seen = useQuery(queries.watchRun(watch, run?.evidence ? run.due : undefined));
  if (!run) return null;
  return (
    <aside className="panel" aria-label={`A run of ${name}`}>
      <div className="panel-head">
        <h2>
          <VerdictMark verdict={runMark(run)} /> <Link to={`/watches/${watch}`}>{name}</Link>
        </h2>
        <button type="button" className="plain-link" onClick={close}>
          Close
        </button>
      </div>
      {runs.length > 1 && (
        <label className="watch-runs-here">
          {runs.length} runs here:{" "}
          <select value={run.due} onChange={(event) => setChosen(event.target.value)}>
            {runs.map((item) => (
              <option key={`${item.due} ${item.turn}`} value={item.due}>
                {momentName(item.due)} · {item.fate}
              </option>
            ))}
          </select>
        </label>
      )}
      <p>{runSentence(run)}</p>
      {seen.error && <Notice sentence={seen.error.message} retry={() => void seen.refetch()} />}
      {!run.evidence && <p className="muted">No exchange was kept of it.</p>}
      {seen.data && <Seen key={run.due} attempts={seen.data.attempts} />}
    </aside>
  );
}

/** The first bad one, else the newest. */
const worst = (runs: Run[]): Run | undefined => runs.find((run) => isBad(run)) ?? runs[0];

export const isBad = (run: Run): boolean =>
  !run.ownSide && !run.maintenance && ["failed", "blocked", "slow"].includes(run.fate);

export function runMark(run: Run): MarkKind {
  if (run.fate === "slow") return "failed";
  if (run.fate === "interrupted") return "blocked";
  return run.fate === "unwatched" ? "skipped" : run.fate;
}

/** When it was due, what became of it, and what else is to be known. */
export function runSentence(run: Run): string {
  if (run.fate === "unwatched")
    return `${momentName(run.due)}: ${SAID.unwatched}${run.missed ? `; ${run.missed} were missed` : ""}.`;
  const more = [
    run.ms ? `${run.fate === "blocked" ? "it waited" : "answers took"} ${duration(run.ms)}` : "",
    run.lateMs >= 100 ? `it began ${duration(run.lateMs)} late` : "",
    run.caughtUp ? "it stands for those that were missed" : "",
    run.maintenance ? "in agreed maintenance, so it does not count" : "",
    run.ownSide ? "by our own side, so it does not count" : "",
  ].filter(Boolean);
  return `Due ${momentName(run.due, Date.now(), true)}, it ${SAID[run.fate]}${more.length ? `; ${more.join("; ")}` : ""}.`;
}

function Seen({ attempts }: { attempts: Attempt[] }) {
  const [number, setNumber] = useState(attempts.length - 1);
  const [place, setPlace] = useState<number>();
  const attempt = attempts[number];
  if (!attempt) return <p className="muted">What it saw is kept no more; its verdict and time are.</p>;
  const steps = attempt.steps.filter(({ step }) => !step.inner);
  const first = steps.findIndex(({ step }) => step.counts && isTrouble(step));
  const at = place ?? Math.max(first, 0);
  const shown = steps[at];
  return (
    <>
      {attempts.length > 1 && (
        <p className="muted">
          It was tried twice at once.{" "}
          {attempts.map((_, each) => (
            <button
              // biome-ignore lint/suspicious/noArrayIndexKey: attempts have no other name
              key={each}
              type="button"
              className="hop"
              aria-pressed={each === number}
              onClick={() => {
                setNumber(each);
                setPlace(undefined);
              }}
            >
              {each === 0 ? "The first time" : "The second time, which counts"}
            </button>
          ))}
        </p>
      )}
      <ol className="watch-steps">
        {steps.map(({ step, position }, each) => (
          <li key={`${position} ${step.place} ${step.row}`}>
            <button
              type="button"
              className={each === at ? "step-cell chosen" : "step-cell"}
              aria-pressed={each === at}
              onClick={() => setPlace(each)}
            >
              <VerdictMark verdict={step.verdict} /> <span className="cell-name">{step.name}</span>
            </button>
          </li>
        ))}
      </ol>
      {shown && (
        <SeenStep key={`${number} ${at}`} step={shown.step} inside={attempt.steps.map((one) => one.step)} />
      )}
    </>
  );
}

const isTrouble = (step: StepEvidence) => step.verdict === "failed" || step.verdict === "blocked";

function SeenStep({ step, inside }: { step: StepEvidence; inside: StepEvidence[] }) {
  const within = inside.filter((one) => one.inner && one.part === step.part && one.index === step.index);
  const shown = within.find(isTrouble) ?? within.at(-1) ?? step;
  return (
    <>
      {step.why && !step.checks.some((check) => check.why) && (
        <p className={`why ${step.verdict}`}>{step.why.sentence}</p>
      )}
      {[...step.checks, ...(shown === step ? [] : shown.checks)]
        .filter((check) => check.verdict === "failed" || check.verdict === "blocked")
        .map((check) => (
          <BadCheck key={check.check} check={check} />
        ))}
      {shown.exchanges.length > 0 && <Evidence step={shown} />}
    </>
  );
}

function BadCheck({ check }: { check: Outcome }) {
  return (
    <p className="why failed">
      <span className="mono">{check.check}</span>: {check.why?.sentence || `it was ${check.actual}`}
    </p>
  );
}
