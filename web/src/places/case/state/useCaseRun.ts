import { useCallback, useEffect, useRef, useState } from "react";
import {
  api,
  type Case,
  type Environment,
  type NewRun,
  type RunCase,
  type RunReport,
  type Step,
} from "../../../api";
import type { Shapes } from "../../../api/shapes";
import { useStale } from "../../../api/stale";
import { count } from "../../../base/format";
import { useProject } from "../../../state/project";
import { useRun, useStart } from "../../../state/run";
import { total } from "../../runs/rows/rows";

export interface CaseRun {
  running: boolean;
  /** The run's report while it goes on. */
  live: RunReport | undefined;
  /** What it says of the case itself. */
  own: RunCase | undefined;
  /** How it stands or how it ended, as a sentence. */
  said: string;
  /** The run's id; none if it was not begun. */
  run: () => Promise<string | undefined>;
  /** Send a step by itself, and of the earlier ones those of `first` (by their indexes). Where it is not said, and kept values are missing, nothing
   * is sent, and it gives what would be needed. */
  sendAlone: SendAloneAct;
  stop: () => void;
}

export type StepsBefore = Shapes["StepsBefore"];
export type SendAloneAct = (
  step: Step,
  values?: Record<string, string>,
  first?: number[],
) => Promise<StepsBefore | undefined>;

/** Runs of one case from its page: the whole of it, or a step alone; what they change on the page is asked for anew. */
export function useCaseRun(
  of: Case,
  environment: Environment | undefined,
  rows?: Pick<NewRun, "jobs" | "pick" | "bad">,
): CaseRun {
  const more = useRef(rows);
  more.current = rows;
  const tell = useStale();
  const start = useStart();
  const project = useProject();
  const [running, setRunning] = useState<string>();
  const [ended, setEnded] = useState("");
  const report = useRun(running);
  const live = report.data?.state !== "finished" ? report.data : undefined;
  useEffect(() => {
    if (report.data?.state !== "finished") return;
    setRunning(undefined);
    const unasked = of.single && report.data.verdict === "unchecked";
    setEnded(unasked ? "" : finished(report.data, of.id));
    void tell("ran", of.id);
  }, [report.data, tell, of.id, of.single]);
  const run = useCallback(async () => {
    setEnded("");
    const begun = await start(
      { cases: [of.id], ...(of.shared && { kind: "trial" }), ...more.current },
      environment,
    );
    if (begun) setRunning(begun.id);
    return begun?.id;
  }, [start, of.id, of.shared, environment]);
  const sendAlone = useCallback(
    async (step: Step, values?: Record<string, string>, first?: number[]) => {
      setEnded("");
      const steps = [...(first ?? []), step.index];
      const trial = { cases: [of.id], kind: "trial" as const, steps, ...(values && { values }) };
      if (!first && project) {
        const asked = { ...trial, project: project.id, environment: environment?.name };
        const before = await api.stepsBefore(asked).catch(() => undefined);
        if (before?.items.length || before?.once.length) return before;
      }
      const begun = await start(trial, environment);
      if (begun) setRunning(begun.id);
      return undefined;
    },
    [start, of.id, environment, project],
  );
  const stop = useCallback(() => {
    if (running) void api.stop(running).catch(() => undefined);
  }, [running]);
  const own = live?.cases.find((entry) => entry.case === of.id);
  const said = running ? progress(live?.state, own, of) : ended;
  return { running: Boolean(running), live, own, said, run, sendAlone, stop };
}

/** How the case ended; and what stands around it in its suite, where that did not pass. */
function finished(run: RunReport, id: string): string {
  const own = run.cases.find((entry) => entry.case === id);
  const around = run.cases.filter((entry) => entry !== own && entry.verdict !== "passed");
  const also = around.map((entry) => ` “${entry.name}”, around it: ${entry.verdict}.`);
  return `Finished: ${own?.verdict ?? run.verdict}.${also.join("")}`;
}

function progress(state: string | undefined, entry: RunCase | undefined, of: Case): string {
  if (state === undefined || state === "waiting") return "Waiting for a runner.";
  if (state === "stopping") return "Stopping; what cleans up still runs.";
  if (of.rows) return `Running: ${count(entry?.rows ? total(entry.rows, new Set()) : 0, "row")} done.`;
  return `Running: ${entry?.steps.length ?? 0} of ${count(of.steps.length, "step")} done.`;
}
