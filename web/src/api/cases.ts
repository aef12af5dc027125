/** One case: read, changed, understood, and what its steps saw. */
import { type Json, readExact } from "../base/exact";
import { answered, ask, askCase, askExact, posted, q, send } from "./asking";
import type {
  Case,
  CaseCoverage,
  Cleaned,
  EarlierPlace,
  Evidence,
  Page,
  Present,
  Proposals,
  ReadText,
  Repeated,
  Revision,
  RevisionDocument,
  Seen,
  Shapes,
  Understood,
} from "./shapes";

export const casesApi = {
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
  /** What a typed check means for a step, by the step's key. */
  understood: async (id: string, step: string, text: string) => {
    const answer = await (await answered(`/cases/${q(id)}/sentences`, posted({ step, text }))).text();
    const exact = readExact(answer) as unknown as Understood;
    return { ...(JSON.parse(answer) as Understood), check: exact.check };
  },
  /** Rows of a sheet as checks, in their order. */
  readSheet: async (id: string, rows: { step: string; of: string; relation: string; expected: string }[]) =>
    (
      await askExact<Page<{ check: { [key: string]: Json } | null; problem: string }>>(
        `/cases/${q(id)}/sheet`,
        posted({ rows }),
      )
    ).items,
  /** A request as its cells would have it. */
  readRequestCells: (id: string, step: string, cells: { [name: string]: string }) =>
    askExact<{ step: { [key: string]: Json } | null; problem: string }>(
      `/cases/${q(id)}/requests`,
      posted({ step, cells }),
    ),
  /** Fields that no check watches; the checks that would have numbers as they were written. */
  caseCoverage: (id: string) => askExact<Page<CaseCoverage>>(`/cases/${q(id)}/coverage`),
  /** What a run of the case saw, by default the last; of a case with rows one of them, by default that to look at first. */
  /** `run`: its id, and of a run against several environments behind a blank in which of them. */
  evidence: (id: string, run = "", row = 0) => {
    const [of = "", where] = run.split(/ (.*)/);
    const there = where ? `&environment=${q(where)}` : "";
    return ask<Evidence>(`/cases/${q(id)}/evidence?run=${q(of)}${there}${row ? `&row=${row}` : ""}`);
  },
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
  /** The requests of a step for the first rows, before anything is sent. */
  finished: (id: string, step: string, environment: string) =>
    ask<Page<Shapes["FinishedRequest"]> & { problem: string }>(
      `/cases/${q(id)}/finished?step=${q(step)}&environment=${q(environment)}`,
    ),
  answerText: async (exchange: string) => (await body(exchange)).text(),
  body: (exchange: string) => body(exchange),
  bodyAddress: (exchange: string, form = "decoded") => `/api/v1/exchanges/${q(exchange)}/body?form=${form}`,
};

const body = (exchange: string) => answered(`/exchanges/${q(exchange)}/body?form=decoded`);
