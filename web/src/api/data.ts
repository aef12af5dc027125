/** Data: where rows come from, databases, output tables. */
import type { Json } from "../base/exact";
import { ApiProblem, answered, ask, askExact, posted, q, send } from "./asking";
import type {
  Database,
  DataSource,
  Evidence,
  FileVersion,
  LookedAt,
  OutputTable,
  Page,
  RunReport,
  Shapes,
  SourceChanges,
  SourceDocument,
  SourceProfile,
} from "./shapes";

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
  return askExact<{ [name: string]: Json }[]>(`/exchanges/${q(exchange.id)}/body`);
}

export const dataApi = {
  sources: (project: string) => askExact<Page<DataSource>>(`/sources?project=${q(project)}`),
  addSource: (project: string, name: string, document: SourceDocument) =>
    askExact<DataSource>("/sources", posted({ project, name, document })),
  changeSource: (
    project: string,
    name: string,
    change: { document: SourceDocument; seen: SourceDocument } | { to: string },
  ) => askExact<DataSource>(`/sources?project=${q(project)}&name=${q(name)}`, posted(change, {}, "PATCH")),
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
  /** `seen`: what stood there when it was changed; null: nothing. */
  putDatabase: (project: string, name: string, document: SourceDocument, seen: SourceDocument | null) =>
    ask<Database>(`/databases?project=${q(project)}&name=${q(name)}`, posted({ document, seen }, {}, "PUT")),
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
};
