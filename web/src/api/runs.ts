/** Runs: begun, stopped, looked at. */
import { ask, posted, q, send } from "./asking";
import type { ChangingStep, NewRun, Page, Run, RunReport, RunRow, Shapes, StepEvidence } from "./shapes";

export const runsApi = {
  inCommon: (run: string, position: number) =>
    ask<Shapes["FoundInCommon"]>(`/runs/${q(run)}/cases/${position}/common`),
  causes: (run: string) => ask<Page<Shapes["Cause"]>>(`/runs/${q(run)}/causes`),
  failures: (run: string, signature: string, offset: number) =>
    ask<Page<Shapes["Failure"]>>(`/runs/${q(run)}/causes/${q(signature)}?offset=${offset}`),
  notMet: (run: string) => ask<Page<Shapes["Known"]>>(`/runs/${q(run)}/known`),
  markKnown: (project: string, signature: string, body: Shapes["KnownCause"]) =>
    ask<Shapes["Known"]>(`/known/${q(signature)}?project=${q(project)}`, posted(body, {}, "PUT")),
  unmarkKnown: (project: string, signature: string) =>
    ask<unknown>(`/known/${q(signature)}?project=${q(project)}`, { method: "DELETE" }),
  runs: (project: string, before?: string) =>
    ask<Page<Run>>(`/runs?project=${q(project)}&limit=50${before ? `&before=${q(before)}` : ""}`),
  runsOf: (project: string, id: string) =>
    ask<Page<Run>>(`/runs?project=${q(project)}&case=${q(id)}&limit=12`),
  run: (id: string) => ask<RunReport>(`/runs/${q(id)}`),
  /** A case's steps with evidence; of a case with rows those of one row. */
  runCase: (id: string, position: number, row?: number) =>
    ask<Page<StepEvidence>>(`/runs/${q(id)}/cases/${position}${row ? `?row=${row}` : ""}`),
  runRows: (id: string, position: number, query: { [name: string]: string }) =>
    ask<Page<RunRow>>(`/runs/${q(id)}/cases/${position}/rows?${new URLSearchParams(query)}`),
  changingSteps: (run: NewRun) => send<Page<ChangingStep>>("/changing-steps", run),
  stepsBefore: (run: NewRun) => send<Shapes["StepsBefore"]>("/steps-before", run),
  start: (run: NewRun) => send<Run>("/runs", run, { "Idempotency-Key": crypto.randomUUID() }),
  stop: (id: string) => send<Run>(`/runs/${q(id)}/stop`, {}),
};
