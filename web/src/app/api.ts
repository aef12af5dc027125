import type { components } from "./api-types";

type Shapes = components["schemas"];
export type Verdict = Shapes["LastVerdict"]["verdict"];
export type Project = Shapes["Project"];
export type Person = Shapes["Person"];
export type Environment = Shapes["Environment"];
export type Suite = Shapes["Suite"];
export type CaseLine = Shapes["CaseLine"];
export type Case = Shapes["Case"];
export type Step = Shapes["Step"];
export type Check = Shapes["Check"];
export type Piece = Shapes["Piece"];
export type Pair = Shapes["Pair"];
export type Thread = Shapes["Thread"];
export type Run = Shapes["Run"];
export type RunReport = Shapes["RunReport"];
export type RunCase = Shapes["RunCase"];
export type StepHead = Shapes["StepHead"];
export type StepEvidence = Shapes["StepEvidence"];
export type Evidence = Shapes["Evidence"];
export type Exchange = Shapes["Exchange"];
export type Outcome = Shapes["Outcome"];
export type NewRun = Shapes["NewRun"];
export type RunEvent = Shapes["Event"] & { run?: string };
export interface Page<Item> {
  items: Item[];
  next: string | null;
}

/** What went wrong, in a sentence that can be shown. */
export class ApiProblem extends Error {
  readonly status: number;

  constructor(status: number, sentence: string) {
    super(sentence);
    this.status = status;
  }
}

async function ask<Answer>(path: string, init?: RequestInit): Promise<Answer> {
  let answer: Response;
  try {
    answer = await fetch(`/api/v1${path}`, init);
  } catch {
    throw new ApiProblem(0, "Salt Path does not answer. Is it running? This page tries again by itself.");
  }
  if (!answer.ok) {
    const problem = (await answer.json().catch(() => ({}))) as { title?: string };
    throw new ApiProblem(answer.status, problem.title ?? `The server answered ${answer.status}.`);
  }
  return (await answer.json()) as Answer;
}

function send<Answer>(path: string, body: unknown, headers: Record<string, string> = {}): Promise<Answer> {
  return ask<Answer>(path, {
    method: "POST",
    body: JSON.stringify(body),
    headers: { "Content-Type": "application/json", ...headers },
  });
}

const q = encodeURIComponent;

/** Every call of the API that the pages make. */
export const api = {
  me: () => ask<Person>("/me"),
  projects: () => ask<Page<Project>>("/projects"),
  environments: (project: string) => ask<Page<Environment>>(`/environments?project=${q(project)}`),
  suites: (project: string) => ask<Page<Suite>>(`/suites?project=${q(project)}`),
  case: (id: string) => ask<Case>(`/cases/${q(id)}`),
  evidence: (id: string) => ask<Evidence>(`/cases/${q(id)}/evidence`),
  runs: (project: string, before?: string) =>
    ask<Page<Run>>(`/runs?project=${q(project)}&limit=50${before ? `&before=${q(before)}` : ""}`),
  run: (id: string) => ask<RunReport>(`/runs/${q(id)}`),
  runCase: (id: string, position: number) => ask<Page<StepEvidence>>(`/runs/${q(id)}/cases/${position}`),
  start: (run: NewRun) => send<Run>("/runs", run, { "Idempotency-Key": crypto.randomUUID() }),
  stop: (id: string) => send<Run>(`/runs/${q(id)}/stop`, {}),
  events: (project: string, after: number) =>
    ask<Page<RunEvent>>(`/events?project=${q(project)}&after=${after}`),
  bodyAddress: (exchange: string, form = "decoded") => `/api/v1/exchanges/${q(exchange)}/body?form=${form}`,
};
