/** The project: its environments, values and files; what happens in it. */
import { readExact } from "../base/exact";
import { answered, ask, posted, q, send } from "./asking";
import type {
  Brought,
  Environment,
  FormatWord,
  Keeping,
  Lifted,
  LiftOffer,
  Page,
  Project,
  ProjectFile,
  RunEvent,
  Shapes,
  ValueChange,
  ValueRow,
} from "./shapes";

export const projectApi = {
  projects: () => ask<Page<Project>>("/projects"),
  addProject: (name: string) => send<Project>("/projects", { name }),
  environments: (project: string) => ask<Page<Environment>>(`/environments?project=${q(project)}`),
  addEnvironment: (project: string, name: string, like?: string) =>
    send<Environment>("/environments", { project, name, like }),
  changeEnvironment: (id: string, change: Shapes["EnvironmentChange"]) =>
    ask<Environment>(`/environments/${q(id)}`, posted(change, {}, "PATCH")),
  guardEnvironment: (id: string, guard: Shapes["EnvironmentGuard"]) =>
    ask<Environment>(`/environments/${q(id)}/guard`, posted(guard, {}, "PUT")),
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
  formatWords: () => ask<Page<FormatWord>>("/format"),
  folderAddress: (project: string) => `/api/v1/projects/${q(project)}/folder`,
  /** With `look` nothing is changed: it says what would be. */
  bringIn: async (archive: Blob, look = false) => {
    const headers = { "Content-Type": "application/zip" };
    const path = `/projects/folder${look ? "?look=true" : ""}`;
    const answer = await answered(path, { method: "POST", body: archive, headers });
    return (await answer.json()) as Brought;
  },
  undoBringIn: (project: string) => send<Brought>(`/projects/${q(project)}/folder/undo`, {}),
  files: (project: string) => ask<Page<ProjectFile>>(`/projects/${q(project)}/files`),
  putFile: (project: string, path: string, file: Blob) =>
    ask<ProjectFile>(`/projects/${q(project)}/files/${path.split("/").map(q).join("/")}`, {
      method: "PUT",
      body: file,
      headers: { "Content-Type": "application/octet-stream" },
    }),
  keeping: (project: string) => ask<Keeping>(`/projects/${q(project)}/keeping`),
  changeKeeping: (project: string, change: Shapes["KeepingChange"]) =>
    ask<Keeping>(`/projects/${q(project)}/keeping`, posted(change, {}, "PATCH")),
  storage: () => ask<Shapes["Storage"]>("/storage"),
  /** Events after that id; with 0 none, only from which id on they are new. */
  events: (project: string, after: number) => ask<Page<RunEvent>>(`/events?${eventsAfter(project, after)}`),
  eventStream: (project: string, after: number) => `/api/v1/events/stream?${eventsAfter(project, after)}`,
};

const eventsAfter = (project: string, after: number) =>
  `project=${q(project)}${after ? `&after=${after}` : ""}`;
