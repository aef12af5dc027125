/** Suites: what stands in them and comes into them; shared steps, single requests, recordings, workbooks. */
import { type Json, readExact, writeExact } from "../base/exact";
import { answered, ask, askCase, askExact, posted, q, send } from "./asking";
import type {
  Case,
  CaseCoverage,
  CaseLine,
  Page,
  ReadWorkbook,
  Recording,
  Sending,
  Shapes,
  SharedSteps,
  SingleRequest,
  StoredRow,
  Suite,
  TakenRows,
} from "./shapes";

export const suitesApi = {
  suites: (project: string) => ask<Page<Suite>>(`/suites?project=${q(project)}`),
  addSuite: (project: string, name: string, into?: string) => send<Suite>("/suites", { project, name, into }),
  changeSuite: (id: string, change: Shapes["SuiteChange"]) =>
    ask<Suite>(`/suites/${q(id)}`, posted(change, {}, "PATCH")),
  /** The checks on every answer of a project or a suite; `body`: their list as JSON text, so that numbers stay as they are. */
  setEveryAnswer: (origin: "project" | "suite", id: string, version: number, body: string) =>
    answered(`/${origin}s/${q(id)}/every-answer`, {
      method: "PUT",
      body,
      headers: { "Content-Type": "application/json", "If-Match": `"${version}"` },
    }),
  /** How the steps of a project or a suite sign in; null for nothing said. */
  setSignIn: (origin: "project" | "suite", id: string, version: number, auth: Json | null) =>
    answered(`/${origin}s/${q(id)}/sign-in`, posted({ auth }, { "If-Match": `"${version}"` }, "PUT")),
  removeSuite: (id: string) => ask<unknown>(`/suites/${q(id)}`, { method: "DELETE" }),
  moveCase: (id: string, suite: string, before: string | null) =>
    send<Case>(`/cases/${q(id)}/move`, { suite, before }),
  setRole: (id: string, role: CaseLine["role"]) =>
    ask<Case>(`/cases/${q(id)}/role`, posted({ role }, {}, "PUT")),
  removeCase: (id: string) => ask<unknown>(`/cases/${q(id)}`, { method: "DELETE" }),
  deleted: (project: string) => ask<Page<Shapes["DeletedCase"]>>(`/deleted?project=${q(project)}`),
  bringBack: (id: string) => send<Case>(`/cases/${q(id)}/back`, {}),
  addCase: (project: string, suite: string, document: unknown) =>
    send<Case>("/cases", { project, suite, document }),
  sharedSteps: (project: string) => ask<Page<SharedSteps>>(`/shared-steps?project=${q(project)}`),
  /** Steps of a case as shared steps, and the step that uses them. */
  extract: (id: string, steps: string[], name: string) =>
    askExact<{ shared: SharedSteps; use: { [key: string]: Json } }>(
      `/cases/${q(id)}/shared-steps`,
      posted({ steps, name }),
    ),
  alike: (id: string) => ask<Page<Shapes["NamedCase"]>>(`/shared-steps/${q(id)}/alike`),
  putShared: async (id: string) =>
    (await askExact<Pick<TakenRows, "saved">>(`/shared-steps/${q(id)}/alike`, posted({}))).saved,
  removeShared: (id: string) => ask<unknown>(`/shared-steps/${q(id)}`, { method: "DELETE" }),
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
  /** A curl line or a request as it goes over the wire, as steps. */
  readPasted: (text: string) =>
    askExact<{ steps: { [key: string]: Json }[]; said: string[] }>("/pasted", posted({ text })),
  /** A browser's recording as steps; numbers in their bodies stay as they were written. */
  readRecording: async (project: string, file: Blob, site = "") => {
    const init = { method: "POST", body: file, headers: { "Content-Type": "application/json" } };
    const text = await (await answered(`/recordings?project=${q(project)}&site=${q(site)}`, init)).text();
    const exact = readExact(text) as unknown as Recording;
    const plain = JSON.parse(text) as Recording;
    return {
      ...plain,
      entries: plain.entries.map((entry, index) => ({ ...entry, step: exact.entries[index]?.step ?? null })),
    };
  },
  /** Cases as rows of a sheet; their checks have numbers as they were written. */
  caseRows: (id: string) => askExact<Page<StoredRow>>(`/cases/${q(id)}/rows`),
  suiteRows: (id: string) => askExact<Page<StoredRow>>(`/suites/${q(id)}/rows`),
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
  suiteCoverage: (id: string) => askExact<Page<CaseCoverage>>(`/suites/${q(id)}/coverage`),
};
