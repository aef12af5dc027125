import { useQuery, useQueryClient } from "@tanstack/react-query";
import { type KeyboardEvent, useCallback, useEffect, useMemo, useRef, useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import { api, type Case, type Evidence as Seen, type Step, type StepEvidence } from "../../app/api";
import { ago, count } from "../../app/format";
import { useEnvironment, useRun, useStart } from "../../app/run";
import { Evidence } from "../../parts/Evidence";
import { Notice } from "../../parts/Notice";
import { RunButton } from "../../parts/RunButton";
import type { Acts } from "../../parts/tree/JsonTree";
import type { MarkKind } from "../../parts/VerdictMark";
import { EditContext } from "./edit/context";
import { addCheck, inChecks } from "./edit/document";
import { InPlace } from "./edit/InPlace";
import { anyOfKind, asItIs, NodeActs } from "./edit/NodeActs";
import { type Reference, referencesFor } from "./edit/references";
import { type Editing, type Edits, useEditing } from "./edit/useEditing";
import { Trail } from "./Trail";

/** A case as a path to read and to run, with the evidence of the step in focus beside it. */
export function CasePage() {
  const { id = "" } = useParams();
  const loaded = useQuery({ queryKey: ["case", id], queryFn: () => api.case(id) });
  if (loaded.error) {
    return (
      <div className="page">
        <Notice sentence={loaded.error.message} retry={() => void loaded.refetch()} />
      </div>
    );
  }
  if (!loaded.data) return <p className="muted pad">Reading the case…</p>;
  return <Opened key={id} of={loaded.data} />;
}

function Opened({ of }: { of: Case }) {
  const client = useQueryClient();
  const state = useEditing(of);
  const editing = state.edits;
  const known = useRef<(before: number) => Reference[]>(() => []);
  const edited = useMemo(
    () => ({ id: of.id, editing, references: (before: number) => known.current(before) }),
    [of.id, editing],
  );
  const [search] = useSearchParams();
  const evidence = useQuery({ queryKey: ["evidence", of.id], queryFn: () => api.evidence(of.id) });
  const asked = of.steps.find((item) => item.number === Number(search.get("step")))?.key;
  const [picked, setPicked] = useState<string | undefined>(asked);
  const [running, setRunning] = useState<string>();
  const [environment, choose, environments] = useEnvironment();
  const start = useStart();
  const report = useRun(running);
  const live = report.data?.state !== "finished" ? report.data : undefined;
  const [ended, setEnded] = useState("");

  const steps = useMemo(
    () => new Map((evidence.data?.steps ?? []).map((step) => [`${step.part}.${step.index}`, step])),
    [evidence.data],
  );
  known.current = (before) => referencesFor(of, steps, before);
  // The step that needs a person is found once a run, so that mending it does not lead away from it.
  const first = useRef<{ run: string; key: string | undefined }>(undefined);
  const ran = evidence.data ? (evidence.data.run?.id ?? "none") : undefined;
  if (ran && first.current?.run !== ran) first.current = { run: ran, key: worst(of, steps) };
  const step =
    of.steps.find((item) => item.key === picked) ??
    of.steps.find((item) => item.key === first.current?.key) ??
    of.steps.find((item) => item.kind === "request");
  const chosen = step?.number ?? 0;
  const seen = step && steps.get(`${step.part}.${step.index}`);

  useEffect(() => {
    if (report.data?.state !== "finished") return;
    setRunning(undefined);
    setEnded(`Finished: ${report.data.verdict}.`);
    void client.invalidateQueries({ queryKey: ["evidence", of.id] });
    void client.invalidateQueries({ queryKey: ["suites"] });
  }, [report.data?.state, report.data?.verdict, client, of.id]);

  const run = useCallback(async () => {
    const begun = await start({ cases: [of.id] }, environment);
    if (begun) {
      setPicked(undefined);
      setRunning(begun.id);
    }
  }, [start, of.id, environment]);
  const sendAlone = useCallback(
    async (alone: Step) => {
      const begun = await start({ cases: [of.id], kind: "trial", steps: [alone.index] }, environment);
      if (begun) {
        setPicked(alone.key);
        setRunning(begun.id);
      }
    },
    [start, of.id, environment],
  );
  const verdict = (item: Step): MarkKind => {
    const done = live?.cases[0]?.steps.find((head) => head.part === item.part && head.index === item.index);
    if (done) return done.verdict;
    if (!running || report.data?.kind === "trial")
      return steps.get(`${item.part}.${item.index}`)?.verdict ?? "waiting";
    const reached = live?.cases[0]?.steps.length ?? 0;
    return item.number === reached + 1 ? "running" : "waiting";
  };
  const keys = (event: KeyboardEvent) => {
    if (event.key === "Enter" && event.ctrlKey) {
      event.preventDefault();
      void run();
    }
    const typing = event.target instanceof HTMLElement && /INPUT|TEXTAREA/.test(event.target.tagName);
    if (event.ctrlKey && event.key.toLowerCase() === "z" && !typing) {
      event.preventDefault();
      if (event.shiftKey) editing.redo();
      else editing.undo();
    }
    const move = { ArrowDown: 1, ArrowUp: -1 }[event.key];
    const onHead = event.target instanceof HTMLElement && event.target.classList.contains("step-head");
    if (move && onHead && !event.altKey) {
      event.preventDefault();
      const next = Math.min(of.steps.length, Math.max(1, chosen + move));
      setPicked(of.steps[next - 1]?.key);
      document.querySelector<HTMLElement>(`[data-step="${next}"] .step-head`)?.focus();
    }
  };
  useEffect(() => {
    const anywhere = (event: globalThis.KeyboardEvent) => {
      if (event.target !== document.body || !event.ctrlKey) return;
      if (event.key === "Enter") void run();
      if (event.key.toLowerCase() === "z") (event.shiftKey ? editing.redo : editing.undo)();
    };
    document.addEventListener("keydown", anywhere);
    return () => document.removeEventListener("keydown", anywhere);
  }, [run, editing.undo, editing.redo]);
  const about = seen && (seen.runKind === "trial" ? "sent alone" : `run ${seen.runNumber}`);
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: shortcuts of the page; every action has a button too
    <div className="case" onKeyDown={keys}>
      <div className="page-head">
        <div>
          <p className="crumb">
            <Link to="/cases">{of.suite.name}</Link> ▸ {of.register || of.key}
          </p>
          <h1>
            <InPlace
              text={of.name}
              label="The case's name"
              save={(name) => editing.apply((document) => ({ ...document, case: name.trim() }))}
            >
              {of.name}
            </InPlace>
          </h1>
          <p className="muted">{subtitle(of, evidence.data)}</p>
        </div>
        <Saved state={state} />
        <RunButton
          what="this case"
          environment={environment}
          environments={environments}
          choose={choose}
          run={() => void run()}
          running={Boolean(running)}
          stop={() => running && void api.stop(running).catch(() => undefined)}
          shortcut
        />
      </div>
      <p className="live" role="status" aria-live="polite">
        {running ? progress(live?.state, live?.cases[0]?.steps.length ?? 0, of) : ended}
      </p>
      <EditContext.Provider value={edited}>
        <div className="case-columns">
          <Trail
            of={of}
            chosen={chosen}
            choose={setPicked}
            evidence={steps}
            verdict={verdict}
            sendAlone={sendAlone}
            busy={Boolean(running)}
          />
          <aside className="evidence" aria-label="Evidence">
            {seen ? (
              <Evidence
                key={`${seen.run}-${chosen}`}
                step={seen}
                about={about}
                keeps={step?.keep}
                acts={step?.kind === "request" ? actsOn(editing, step) : undefined}
              />
            ) : (
              <div className="pad teach">
                <h2>Evidence</h2>
                <p>The last real answer of this step is shown here. Run the case, or send this step alone.</p>
              </div>
            )}
          </aside>
        </div>
      </EditContext.Provider>
    </div>
  );
}

/** What pointing at the answer of a step can make: E a check as it is, A one for its kind, K a kept value, P a hand-over. */
function actsOn(editing: Edits, step: Step): Acts {
  return {
    keys: "eakp",
    press: (picked, key) => {
      const check = key === "e" ? asItIs(picked) : key === "a" ? anyOfKind(picked) : undefined;
      if (check) void editing.apply(addCheck(step.key, check));
      return Boolean(check);
    },
    show: (picked, key, close) => (
      <NodeActs key={`${picked.path} ${key}`} step={step} picked={picked} asked={key} close={close} />
    ),
    rest: (unchecked) => {
      const checks = unchecked.map(asItIs).filter((check) => check !== undefined);
      void editing.apply(inChecks(step.key, (before) => [...before, ...checks]));
    },
  };
}

/** Undo, redo, and whether everything is kept. */
function Saved({ state }: { state: Editing }) {
  const said = {
    saved: "",
    saving: "Saving…",
    kept: "Salt Path does not answer. Your edits wait in this browser and are saved when it is back.",
  }[state.saving];
  return (
    <div className="saved">
      <span role="status" className={state.saving === "kept" ? "trouble" : "muted"}>
        {said || state.notice}
      </span>
      <button type="button" className="plain-button" disabled={!state.canUndo} onClick={state.edits.undo}>
        Undo
      </button>
      <button type="button" className="plain-button" disabled={!state.canRedo} onClick={state.edits.redo}>
        Redo
      </button>
    </div>
  );
}

/** The step that needs a person first; the first request where all is well. */
function worst(of: Case, steps: Map<string, StepEvidence>): string | undefined {
  for (const verdict of ["failed", "blocked", "unchecked"]) {
    const bad = of.steps.find((step) => {
      const seen = steps.get(`${step.part}.${step.index}`);
      return seen?.verdict === verdict && seen.counts;
    });
    if (bad) return bad.key;
  }
  return undefined;
}

function subtitle(of: Case, seen: Seen | undefined): string {
  const checks = of.steps.reduce((sum, step) => sum + (step.expect?.length ?? 0), 0);
  const facts = [count(of.steps.length, "step"), count(checks, "check")];
  if (seen?.run && seen.verdict) facts.push(`last run ${ago(seen.run.startedAt)}: ${seen.verdict}`);
  return `${of.about ? `${of.about} ` : ""}${facts.join(" · ")}`;
}

function progress(state: string | undefined, done: number, of: Case): string {
  if (state === undefined || state === "waiting") return "Waiting for a runner.";
  if (state === "stopping") return "Stopping; what cleans up still runs.";
  return `Running: ${done} of ${count(of.steps.length, "step")} done.`;
}
