/** Watches, and what became of them. */
import { ask, posted, q, send } from "./asking";
import type { Page, Shapes } from "./shapes";

/** From when to when, RFC 3339. */
export interface Stretch {
  from: string;
  to: string;
}

const between = ({ from, to }: Stretch): string => `from=${q(from)}&to=${q(to)}`;

export const watchesApi = {
  watches: (project: string) => ask<Page<Shapes["Watch"]>>(`/watches?project=${q(project)}`),
  watch: (id: string) => ask<Shapes["WatchInFull"]>(`/watches/${q(id)}`),
  addWatch: (watch: Shapes["NewWatch"]) => send<Shapes["WatchInFull"]>("/watches", watch),
  changeWatch: (id: string, version: number, change: Shapes["WatchChange"]) =>
    ask<Shapes["WatchInFull"]>(`/watches/${q(id)}`, posted(change, { "If-Match": `"${version}"` }, "PATCH")),
  removeWatch: (id: string) => ask<unknown>(`/watches/${q(id)}`, { method: "DELETE" }),
  bringBackWatch: (id: string) => send<unknown>(`/watches/${q(id)}/back`, {}),
  runWatch: (id: string) => send<unknown>(`/watches/${q(id)}/run`, {}),
  readSentence: (project: string, sentence: string) =>
    send<Shapes["WatchUnderstood"]>("/watch-sentences", { project, sentence }),
  watchRange: (project: string, stretch: Stretch) =>
    ask<Shapes["WatchRange"]>(`/watches/range?project=${q(project)}&${between(stretch)}`),
  rangeOfWatch: (id: string, stretch: Stretch) =>
    ask<Shapes["RangeOfWatch"]>(`/watches/${q(id)}/range?${between(stretch)}`),
  burns: (id: string) => ask<Page<Shapes["Burn"]>>(`/watches/${q(id)}/burns`),
  watchPhases: (id: string, stretch: Stretch) =>
    ask<Page<Shapes["WatchPhases"]>>(`/watches/${q(id)}/phases?${between(stretch)}`),
  allowances: (project: string) =>
    ask<Page<Shapes["Allowance"]>>(`/watches/allowances?project=${q(project)}`),
  watchRuns: (id: string, stretch: Stretch, bad: boolean, limit: number) =>
    ask<Page<Shapes["WatchRun"]>>(
      `/watches/${q(id)}/runs?${between(stretch)}&limit=${limit}${bad ? "&bad=true" : ""}`,
    ),
  watchRun: (id: string, due: string) =>
    ask<Shapes["WatchRunSeen"]>(`/watches/${q(id)}/runs/${Math.floor(Date.parse(due) / 1000)}`),
  troubles: (project: string, stretch: Stretch, watch?: string) =>
    ask<Page<Shapes["Trouble"]>>(
      `/troubles?project=${q(project)}&${between(stretch)}${watch ? `&watch=${q(watch)}` : ""}`,
    ),
  heads: (project: string) => ask<Page<Shapes["SealedHour"]>>(`/watches/heads?project=${q(project)}`),
  /** Where a supplier report is saved from. */
  proofFile: (project: string, { from, to, supplier }: Stretch & { supplier: string }, form: string) =>
    `/api/v1/watches/proof?project=${q(project)}&${between({ from, to })}&form=${form}${supplier ? `&supplier=${q(supplier)}` : ""}`,
  verifierFile: () => "/api/v1/verify.py",
  routes: (project: string) => ask<Page<Shapes["Route"]>>(`/routes?project=${q(project)}`),
  addRoute: (route: Shapes["NewRoute"]) => send<Shapes["Route"]>("/routes", route),
  changeRoute: (route: Shapes["Route"], change: Shapes["RouteChange"]) =>
    ask<Shapes["Route"]>(
      `/routes/${q(route.id)}`,
      posted(change, { "If-Match": `"${route.version}"` }, "PATCH"),
    ),
  removeRoute: (id: string) => ask<unknown>(`/routes/${q(id)}`, { method: "DELETE" }),
  bringBackRoute: (id: string) => send<unknown>(`/routes/${q(id)}/back`, {}),
  testRoute: (id: string) => send<Shapes["AlertMessage"]>(`/routes/${q(id)}/test`, {}),
  alertMessages: (project: string) =>
    ask<Page<Shapes["AlertMessage"]>>(`/alert-messages?project=${q(project)}`),
  tellAgain: (id: string) => send<unknown>(`/alert-messages/${q(id)}/again`, {}),
  takeTrouble: (id: string, taken: boolean) =>
    ask<unknown>(`/troubles/${q(id)}/taken`, { method: taken ? "PUT" : "DELETE" }),
  muteWatch: (id: string, minutes: number) =>
    ask<Shapes["Muted"]>(`/watches/${q(id)}/mute`, posted({ minutes }, {}, "PUT")),
  muteRoute: (id: string, minutes: number) =>
    ask<Shapes["Muted"]>(`/routes/${q(id)}/mute`, posted({ minutes }, {}, "PUT")),
  noteTrouble: (id: string, note: string, seen: string) =>
    ask<Shapes["Trouble"]>(`/troubles/${q(id)}`, posted({ note, seen }, {}, "PATCH")),
};
