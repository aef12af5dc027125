import type { components } from "./api-types";
import { type Json, readExact, writeExact } from "./exact";

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
export type StepName = Shapes["StepName"];
export type CaseRows = Shapes["CaseRows"];
export type RunRow = Shapes["RunRow"];
export type RowCell = Shapes["RowCell"];
export type StepEvidence = Shapes["StepEvidence"];
export type Evidence = Shapes["Evidence"];
export type Exchange = Shapes["Exchange"];
export type Outcome = Shapes["Outcome"];
export type Understood = Shapes["Understood"];
export type Seen = Shapes["Seen"];
export type SeenPlace = Shapes["SeenPlace"];
export type EarlierPlace = Shapes["EarlierPlace"];
export type Repeated = Shapes["Repeated"];
export type Cleaned = Shapes["Cleaned"];
export type Revision = Shapes["Revision"];
export type RevisionDocument = Shapes["RevisionDocument"];
export type Other = Shapes["Other"];
export type TextFault = Shapes["TextFault"];
export type ReadText = Shapes["ReadText"];
export type FormatWord = Shapes["FormatWord"];
export type EveryAnswer = Shapes["EveryAnswer"];
export type ProjectFile = Shapes["ProjectFile"];
export type Brought = Shapes["Brought"];
export type Proposals = Omit<Shapes["Proposals"], "items"> & {
  items: (Omit<Shapes["Proposals"]["items"][number], "check"> & { check: { [key: string]: Json } })[];
};
export type RecordedEntry = Omit<Shapes["RecordedEntry"], "step"> & { step: { [key: string]: Json } | null };
export type RecordedHandOver = Shapes["RecordedHandOver"];
export type CaseCoverage = Shapes["CaseCoverage"];
export type StepCoverage = Shapes["StepCoverage"];
export type UncheckedField = Shapes["UncheckedField"];
export type StoredRow = Shapes["StoredRow"];
export type ReadWorkbook = Shapes["ReadWorkbook"];
export type SheetTable = Shapes["SheetTable"];
export type TakenRows = Omit<Shapes["TakenRows"], "saved"> & {
  saved: (Omit<Shapes["SavedCase"], "before"> & { before: { [key: string]: Json } | null })[];
};
export type SingleRequest = Shapes["SingleRequest"];
export type Sending = Shapes["Sending"];
export type Recording = Omit<Shapes["Recording"], "entries"> & { entries: RecordedEntry[] };
export type SharedSteps = Shapes["SharedSteps"];
export type ValueRow = Shapes["ValueRow"];
export type ValueCell = Shapes["ValueCell"];
export type ValueChange = Shapes["ValueChange"];
export type LiftOffer = Shapes["LiftOffer"];
export type LiftedPlace = Shapes["LiftedPlace"];
export type Lifted = Omit<Shapes["Lifted"], "saved"> & { saved: TakenRows["saved"] };
/** What a source is, as it stands in the project; numbers as they were written. */
export type SourceDocument = { [key: string]: Json };
export type DataSource = Omit<Shapes["DataSource"], "document"> & { document: SourceDocument };
export type Database = Omit<Shapes["Database"], "document"> & { document: SourceDocument };
export type OutputTable = Shapes["OutputTable"];
export type LookedAt = Shapes["LookedAt"];
export type SourceFrame = Shapes["SourceFrame"];
export type SourceProfile = Shapes["SourceProfile"];
export type ColumnProfile = Shapes["ColumnProfile"];
export type FileVersion = Shapes["FileVersion"];
export type SourceChanges = Shapes["SourceChanges"];
type Present = Shapes["Present"];
export type NewRun = Shapes["NewRun"];
/** A step that may change something where it is sent. */
export type ChangingStep = Shapes["ChangingStep"];
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
  return (await (await answered(path, init)).json()) as Answer;
}

/** A case, its document with numbers as they were written. */
async function askCase(path: string, init?: RequestInit): Promise<Case> {
  const text = await (await answered(path, init)).text();
  const exact = readExact(text) as unknown as Case;
  return { ...(JSON.parse(text) as Case), document: exact.document, everyAnswer: exact.everyAnswer };
}

async function answered(path: string, init?: RequestInit): Promise<Response> {
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
  return answer;
}

function send<Answer>(path: string, body: unknown, headers: Record<string, string> = {}): Promise<Answer> {
  return ask<Answer>(path, posted(body, headers));
}

function posted(body: unknown, headers: Record<string, string> = {}, method = "POST"): RequestInit {
  const json = { "Content-Type": "application/json", ...headers };
  return { method, body: JSON.stringify(body), headers: json };
}

const q = encodeURIComponent;

async function askCoverage(path: string): Promise<Page<CaseCoverage>> {
  return readExact(await (await answered(path)).text()) as unknown as Page<CaseCoverage>;
}

async function askRows(path: string): Promise<Page<StoredRow>> {
  return readExact(await (await answered(path)).text()) as unknown as Page<StoredRow>;
}

async function askSource(path: string, init?: RequestInit): Promise<DataSource> {
  return readExact(await (await answered(path, init)).text()) as unknown as DataSource;
}

const LOOK_EVERY_MS = 120;
const MOST_TRIES = 250;

/** A look of a runner into a database, when it has ended. */
async function lookedInto(wanted: Shapes["NewLook"]): Promise<Shapes["Look"]> {
  const asked = await send<Shapes["Look"]>("/databases/looks", wanted);
  for (let tried = 0; tried < MOST_TRIES; tried += 1) {
    const run = await ask<RunReport>(`/runs/${q(asked.run)}`);
    if (run.state === "finished") return asked;
    await new Promise((again) => setTimeout(again, LOOK_EVERY_MS));
  }
  throw new ApiProblem(0, "The database has not answered yet.");
}

/** The rows that a look-up gave. */
async function rowsOf(id: string, run: string): Promise<{ [name: string]: Json }[]> {
  const [step] = (await ask<Evidence>(`/cases/${q(id)}/evidence?run=${q(run)}`)).steps;
  const exchange = step?.exchanges.at(-1);
  if (step?.why || !exchange) throw new ApiProblem(0, step?.why?.sentence ?? "Nothing came.");
  return readExact(await (await answered(`/exchanges/${q(exchange.id)}/body`)).text()) as {
    [name: string]: Json;
  }[];
}

/** Every call of the API that the pages make. */
export const api = {
  me: () => ask<Person>("/me"),
  projects: () => ask<Page<Project>>("/projects"),
  addProject: (name: string) => send<Project>("/projects", { name }),
  environments: (project: string) => ask<Page<Environment>>(`/environments?project=${q(project)}`),
  addEnvironment: (project: string, name: string, like?: string) =>
    send<Environment>("/environments", { project, name, like }),
  changeEnvironment: (id: string, change: Shapes["EnvironmentChange"]) =>
    ask<Environment>(`/environments/${q(id)}`, posted(change, {}, "PATCH")),
  removeEnvironment: (id: string) => ask<unknown>(`/environments/${q(id)}`, { method: "DELETE" }),
  /** Values as they read in each environment. */
  values: (project: string) => ask<Page<ValueRow>>(`/values?project=${q(project)}`),
  changeValues: (project: string, changes: ValueChange[]) =>
    send<Shapes["ChangedValues"]>("/values", { project, changes }),
  renameValue: (project: string, suite: string, name: string, to: string) =>
    send<Shapes["Renamed"]>("/value-names", { project, suite, name, to }),
  lifts: (project: string) => ask<Page<LiftOffer>>(`/lifts?project=${q(project)}`),
  /** Where a literal stands, and with `take` its name in its places. */
  lift: async (lift: Shapes["Lift"]) => {
    const text = await (await answered("/lifts", posted(lift))).text();
    return { ...(JSON.parse(text) as Lifted), saved: (readExact(text) as unknown as Lifted).saved };
  },
  sources: async (project: string) =>
    readExact(await (await answered(`/sources?project=${q(project)}`)).text()) as unknown as Page<DataSource>,
  addSource: (project: string, name: string, document: SourceDocument) =>
    askSource("/sources", posted({ project, name, document })),
  changeSource: (project: string, name: string, change: { document?: SourceDocument; to?: string }) =>
    askSource(`/sources?project=${q(project)}&name=${q(name)}`, posted(change, {}, "PATCH")),
  removeSource: (project: string, name: string) =>
    ask<unknown>(`/sources?project=${q(project)}&name=${q(name)}`, { method: "DELETE" }),
  /** How rows would look if a source were this. */
  lookAtSource: (project: string, document: SourceDocument) =>
    send<LookedAt>("/sources/looked", { project, document }),
  /** What all rows of its file hold; asked again until `state` is done. */
  profileSource: (project: string, document: SourceDocument) =>
    send<SourceProfile>("/sources/profile", { project, document }),
  fileVersions: (project: string, path: string) =>
    ask<Page<FileVersion>>(`/file-versions?project=${q(project)}&path=${q(path)}`),
  compareVersions: (project: string, document: SourceDocument, before: number, after: number) =>
    send<SourceChanges>("/sources/changes", { project, document, before, after }),
  /** The requests of a step for the first rows, before anything is sent. */
  finished: (id: string, step: string, environment: string) =>
    ask<Page<Shapes["FinishedRequest"]> & { problem: string }>(
      `/cases/${q(id)}/finished?step=${q(step)}&environment=${q(environment)}`,
    ),
  inCommon: (run: string, position: number) =>
    ask<Shapes["FoundInCommon"]>(`/runs/${q(run)}/cases/${position}/common`),
  /** What a database holds: its tables, or the first rows of one, asked by a runner. */
  look: async (
    project: string,
    environment: string,
    database: string,
    table: string,
  ): Promise<{ [name: string]: Json }[]> => {
    const asked = await lookedInto({ project, environment, database, table });
    return await rowsOf(asked.case, asked.run);
  },
  /** Have a runner look at the rows of a database that a source has; `lookAtSource` tells them from then on. */
  lookAtRows: (project: string, environment: string, rows: SourceDocument) =>
    lookedInto({ project, environment, rows }),
  databases: (project: string) => ask<Page<Database>>(`/databases?project=${q(project)}`),
  putDatabase: (project: string, name: string, document: SourceDocument) =>
    ask<Database>(`/databases?project=${q(project)}&name=${q(name)}`, posted({ document }, {}, "PUT")),
  removeDatabase: (project: string, name: string) =>
    ask<unknown>(`/databases?project=${q(project)}&name=${q(name)}`, { method: "DELETE" }),
  outputTables: (project: string) => ask<Page<OutputTable>>(`/output-tables?project=${q(project)}`),
  outputRows: (project: string, name: string, run: string, offset: number) =>
    ask<Shapes["OutputRows"]>(
      `/output-tables/rows?project=${q(project)}&name=${q(name)}&run=${q(run)}&offset=${offset}&limit=200`,
    ),
  outputFile: (project: string, name: string, run: string, format: "xlsx" | "csv") =>
    `/api/v1/output-tables/file?project=${q(project)}&name=${q(name)}&run=${q(run)}&format=${format}`,
  /** A workbook of one's own with an output table in it, as a file. */
  intoWorkbook: async (
    project: string,
    name: string,
    run: string,
    into: { sheet: string; cell: string; file: File },
  ) => {
    const asked = `project=${q(project)}&name=${q(name)}&run=${q(run)}&sheet=${q(into.sheet)}&cell=${q(into.cell)}`;
    const init = { method: "POST", body: into.file, headers: { "Content-Type": "application/octet-stream" } };
    return (await answered(`/output-tables/into?${asked}`, init)).blob();
  },
  sharedSteps: (project: string) => ask<Page<SharedSteps>>(`/shared-steps?project=${q(project)}`),
  /** Steps of a case as shared steps, and the step that uses them. */
  extract: async (id: string, steps: string[], name: string) => {
    const text = await (await answered(`/cases/${q(id)}/shared-steps`, posted({ steps, name }))).text();
    return readExact(text) as unknown as { shared: SharedSteps; use: { [key: string]: Json } };
  },
  alike: (id: string) => ask<Page<Shapes["NamedCase"]>>(`/shared-steps/${q(id)}/alike`),
  putShared: async (id: string) => {
    const text = await (await answered(`/shared-steps/${q(id)}/alike`, posted({}))).text();
    return (readExact(text) as unknown as Pick<TakenRows, "saved">).saved;
  },
  removeShared: (id: string) => ask<unknown>(`/shared-steps/${q(id)}`, { method: "DELETE" }),
  suites: (project: string) => ask<Page<Suite>>(`/suites?project=${q(project)}`),
  addSuite: (project: string, name: string) => send<Suite>("/suites", { project, name }),
  changeSuite: (id: string, change: { name?: string; about?: string; before?: string | null }) =>
    ask<Suite>(`/suites/${q(id)}`, posted(change, {}, "PATCH")),
  /** The checks on every answer of a project or a suite; `body`: their list as JSON text, so that numbers stay as they are. */
  setEveryAnswer: (origin: "project" | "suite", id: string, version: number, body: string) =>
    answered(`/${origin}s/${q(id)}/every-answer`, {
      method: "PUT",
      body,
      headers: { "Content-Type": "application/json", "If-Match": `"${version}"` },
    }),
  removeSuite: (id: string) => ask<unknown>(`/suites/${q(id)}`, { method: "DELETE" }),
  moveCase: (id: string, suite: string, before: string | null) =>
    send<Case>(`/cases/${q(id)}/move`, { suite, before }),
  removeCase: (id: string) => ask<unknown>(`/cases/${q(id)}`, { method: "DELETE" }),
  bringBack: (id: string) => send<Case>(`/cases/${q(id)}/back`, {}),
  case: (id: string) => askCase(`/cases/${q(id)}?text=false`),
  /** `body`: the case as JSON text, so that its numbers stay as they are. */
  saveCase: (id: string, version: number, body: string) =>
    askCase(`/cases/${q(id)}?text=false`, {
      method: "PUT",
      body,
      headers: { "Content-Type": "application/json", "If-Match": `"${version}"` },
    }),
  /** The case's text in the format, at its version. */
  caseText: (id: string) => ask<Case>(`/cases/${q(id)}`),
  /** What a text reads as; nothing is saved. */
  readText: async (text: string) => {
    const answer = await (await answered("/texts", posted({ text }))).text();
    const exact = readExact(answer) as unknown as ReadText;
    return { ...(JSON.parse(answer) as ReadText), document: exact.document };
  },
  /** A curl line or a request as it goes over the wire, as steps. */
  readPasted: async (text: string) => {
    const answer = await (await answered("/pasted", posted({ text }))).text();
    return readExact(answer) as { steps: { [key: string]: Json }[]; said: string[] };
  },
  /** A browser's recording as steps; numbers in their bodies stay as they were written. */
  readRecording: async (project: string, file: Blob) => {
    const init = { method: "POST", body: file, headers: { "Content-Type": "application/json" } };
    const text = await (await answered(`/recordings?project=${q(project)}`, init)).text();
    const exact = readExact(text) as unknown as Recording;
    const plain = JSON.parse(text) as Recording;
    return {
      ...plain,
      entries: plain.entries.map((entry, index) => ({ ...entry, step: exact.entries[index]?.step ?? null })),
    };
  },
  formatWords: () => ask<Page<FormatWord>>("/format"),
  folderAddress: (project: string) => `/api/v1/projects/${q(project)}/folder`,
  bringIn: async (archive: Blob) => {
    const headers = { "Content-Type": "application/zip" };
    const answer = await answered("/projects/folder", { method: "POST", body: archive, headers });
    return (await answer.json()) as Brought;
  },
  files: (project: string) => ask<Page<ProjectFile>>(`/projects/${q(project)}/files`),
  putFile: (project: string, path: string, file: Blob) =>
    ask<ProjectFile>(`/projects/${q(project)}/files/${path.split("/").map(q).join("/")}`, {
      method: "PUT",
      body: file,
      headers: { "Content-Type": "application/octet-stream" },
    }),
  addCase: (project: string, suite: string, document: unknown) =>
    send<Case>("/cases", { project, suite, document }),
  singleRequests: (project: string) =>
    ask<Page<SingleRequest>>(`/single-requests?project=${q(project)}&limit=1000`),
  /** `step`: as the case format has it; numbers in it stay as they are. */
  addSingleRequest: (project: string, step: { [key: string]: Json }) =>
    askCase("/single-requests", {
      method: "POST",
      body: writeExact({ project, step }),
      headers: { "Content-Type": "application/json" },
    }),
  sendings: (id: string) => ask<Page<Sending>>(`/single-requests/${q(id)}/sent`),
  placeSingle: (id: string, place: { suite?: string; name?: string; case?: string }) =>
    send<Shapes["PlacedRequest"]>(`/single-requests/${q(id)}/place`, place),
  /** What a typed check means for a step, by the step's key. */
  understood: async (id: string, step: string, text: string) => {
    const answer = await (await answered(`/cases/${q(id)}/sentences`, posted({ step, text }))).text();
    const exact = readExact(answer) as unknown as Understood;
    return { ...(JSON.parse(answer) as Understood), check: exact.check };
  },
  /** Rows of a sheet as checks, in their order. */
  readSheet: async (id: string, rows: { step: string; of: string; relation: string; expected: string }[]) => {
    const answer = await (await answered(`/cases/${q(id)}/sheet`, posted({ rows }))).text();
    return (readExact(answer) as unknown as Page<{ check: { [key: string]: Json } | null; problem: string }>)
      .items;
  },
  /** Cases as rows of a sheet; their checks have numbers as they were written. */
  caseRows: (id: string) => askRows(`/cases/${q(id)}/rows`),
  suiteRows: (id: string) => askRows(`/suites/${q(id)}/rows`),
  /** A request as its cells would have it. */
  readRequestCells: async (id: string, step: string, cells: { [name: string]: string }) => {
    const answer = await (await answered(`/cases/${q(id)}/requests`, posted({ step, cells }))).text();
    return readExact(answer) as unknown as { step: { [key: string]: Json } | null; problem: string };
  },
  workbookAddress: (what: "cases" | "suites", id: string) => `/api/v1/${what}/${q(id)}/workbook`,
  verdictsAddress: (suite: string) => `/api/v1/suites/${q(suite)}/workbook/verdicts`,
  keptWorkbook: (suite: string) => ask<Shapes["KeptWorkbook"]>(`/suites/${q(suite)}/workbook/kept`),
  readWorkbook: (project: string, file: Blob) =>
    ask<ReadWorkbook>(`/workbooks?project=${q(project)}`, {
      method: "POST",
      body: file,
      headers: { "Content-Type": "application/octet-stream" },
    }),
  takeRows: async (suite: string, rows: Shapes["TableRows"]) => {
    const text = await (await answered(`/suites/${q(suite)}/rows`, posted(rows))).text();
    return { ...(JSON.parse(text) as TakenRows), saved: (readExact(text) as unknown as TakenRows).saved };
  },
  keepWorkbook: (suite: string, file: Blob, about: { [name: string]: string }) =>
    ask<Shapes["KeptWorkbook"]>(`/suites/${q(suite)}/workbook?${new URLSearchParams(about)}`, {
      method: "PUT",
      body: file,
      headers: { "Content-Type": "application/octet-stream" },
    }),
  /** Fields that no check watches; the checks that would have numbers as they were written. */
  caseCoverage: (id: string) => askCoverage(`/cases/${q(id)}/coverage`),
  suiteCoverage: (id: string) => askCoverage(`/suites/${q(id)}/coverage`),
  /** What a run of the case saw, by default the last; of a case with rows one of them, by default that to look at first. */
  evidence: (id: string, run = "", row = 0) =>
    ask<Evidence>(`/cases/${q(id)}/evidence?run=${q(run)}${row ? `&row=${row}` : ""}`),
  seen: (id: string, step: string) => ask<Seen>(`/cases/${q(id)}/steps/${q(step)}/seen`),
  /** Checks that a step's answers justify; numbers in them stay as they were written. */
  proposals: async (id: string, step: string) => {
    const text = await (await answered(`/cases/${q(id)}/steps/${q(step)}/proposals`)).text();
    const exact = readExact(text) as unknown as Proposals;
    const plain = JSON.parse(text) as Proposals;
    return {
      ...plain,
      items: plain.items.map((item, index) => ({ ...item, check: exact.items[index]?.check ?? item.check })),
    };
  },
  /** Values of earlier answers that a step can use. */
  places: (id: string, before: string, text: string) =>
    ask<Page<EarlierPlace>>(`/cases/${q(id)}/places?before=${q(before)}&text=${q(text)}`),
  /** Pipes or generators for what is typed after `[=`, each with what it would give. */
  insertable: (id: string, step: string, text: string) =>
    send<Page<Shapes["Insertable"]>>(`/cases/${q(id)}/insertable`, { step, text }),
  repeated: (id: string) => ask<Page<Repeated>>(`/cases/${q(id)}/repeated`),
  /** What a place with its pipes gives on the step's last answer. */
  cleaned: (id: string, step: string, of: string) => send<Cleaned>(`/cases/${q(id)}/kept`, { step, of }),
  revisions: (id: string) => ask<Page<Revision>>(`/cases/${q(id)}/revisions`),
  revision: async (id: string, version: number) => {
    const text = await (await answered(`/cases/${q(id)}/revisions/${version}`)).text();
    const exact = readExact(text) as unknown as RevisionDocument;
    return { ...(JSON.parse(text) as RevisionDocument), document: exact.document };
  },
  present: (id: string, tab: string, step: string, leaving = false) =>
    ask<Present>(`/cases/${q(id)}/presence`, { ...posted({ tab, step, leaving }), keepalive: leaving }),
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
  start: (run: NewRun) => send<Run>("/runs", run, { "Idempotency-Key": crypto.randomUUID() }),
  stop: (id: string) => send<Run>(`/runs/${q(id)}/stop`, {}),
  events: (project: string, after: number) =>
    ask<Page<RunEvent>>(`/events?project=${q(project)}&after=${after}`),
  answerText: async (exchange: string) =>
    (await answered(`/exchanges/${q(exchange)}/body?form=decoded`)).text(),
  bodyAddress: (exchange: string, form = "decoded") => `/api/v1/exchanges/${q(exchange)}/body?form=${form}`,
};
