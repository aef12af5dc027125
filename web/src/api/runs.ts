/** Runs: begun, stopped, looked at. */
import { ask, posted, q, send } from "./asking";
import type { ChangingStep, NewRun, Page, Run, RunReport, RunRow, Shapes, StepEvidence } from "./shapes";

/** Where a report of a run lies, in a form. */
export const reportAddress = (run: string, form: string): string =>
  `/api/v1/runs/${q(run)}/report?format=${q(form)}`;

/** Where a step stands in a run. */
export interface StepPlace {
  run: string;
  position: number;
  part: string;
  index: number;
  row: number;
  inner: string;
  /** Another run, instead of the last pass. */
  then?: string;
}

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
  knowAgain: (project: string, signature: string) =>
    send<unknown>(`/known/${q(signature)}/back?project=${q(project)}`, {}),
  runs: (project: string, before?: string) =>
    ask<Page<Run>>(`/runs?project=${q(project)}&limit=50${before ? `&before=${q(before)}` : ""}`),
  runsOf: (project: string, id: string) =>
    ask<Page<Run>>(`/runs?project=${q(project)}&case=${q(id)}&limit=12`),
  history: (id: string, environment: string, before?: string) =>
    ask<Page<Shapes["PastRun"]>>(
      `/cases/${q(id)}/history?${new URLSearchParams({
        ...(environment && { environment }),
        ...(before && { before }),
      })}`,
    ),
  addresses: (id: string) => ask<Page<Shapes["AskedAddress"]>>(`/runs/${q(id)}/addresses`),
  pictures: (project: string) => ask<Page<Shapes["Picture"]>>(`/projects/${q(project)}/pictures`),
  addPicture: (project: string, suite: string) =>
    send<Shapes["NewPictureLink"]>(`/projects/${q(project)}/pictures`, { suite }),
  endPicture: (id: string) => ask<unknown>(`/pictures/${q(id)}`, { method: "DELETE" }),
  /** What a run made and left; or how much of it alone. */
  left: (id: string, whole: boolean) =>
    ask<Shapes["Left"]>(`/runs/${q(id)}/left${whole ? "" : "?items=false"}`),
  removeLeft: (id: string, addresses: string[]) => send<Run>(`/runs/${q(id)}/removal`, { addresses }),
  run: (id: string) => ask<RunReport>(`/runs/${q(id)}`),
  /** A case's steps with evidence; of a case with rows those of one row. */
  runCase: (id: string, position: number, row?: number) =>
    ask<Page<StepEvidence>>(`/runs/${q(id)}/cases/${position}${row ? `?row=${row}` : ""}`),
  runRows: (id: string, position: number, query: { [name: string]: string }) =>
    ask<Page<RunRow>>(`/runs/${q(id)}/cases/${position}/rows?${new URLSearchParams(query)}`),
  changingSteps: (run: NewRun) => send<Page<ChangingStep>>("/changing-steps", run),
  stepsBefore: (run: NewRun) => send<Shapes["StepsBefore"]>("/steps-before", run),
  start: (run: NewRun) => send<Run>("/runs", run, { "Idempotency-Key": crypto.randomUUID() }),
  describeRun: (id: string, change: Shapes["RunChange"]) =>
    ask<Run>(`/runs/${q(id)}`, posted(change, {}, "PATCH")),
  goingOn: (project: string) => ask<Page<Shapes["GoingOn"]>>(`/going-on?project=${q(project)}`),
  /** What differs between a step of a run and its last pass. */
  sincePass: (of: StepPlace) =>
    ask<Shapes["SincePass"]>(
      `/runs/${q(of.run)}/cases/${of.position}/since-pass?${new URLSearchParams({
        part: of.part,
        index: String(of.index),
        row: String(of.row),
        inner: of.inner,
        ...(of.then && { with: of.then }),
      })}`,
    ),
  compared: (run: string, other: string) =>
    ask<Shapes["Compared"]>(`/runs/${q(run)}/compared?with=${q(other)}`),
  /** In a few sentences, as Markdown. */
  summary: (id: string) => fetch(reportAddress(id, "markdown")).then((answer) => answer.text()),
  stop: (id: string) => send<Run>(`/runs/${q(id)}/stop`, {}),
};
