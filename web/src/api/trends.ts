/** What runs of cases and steps add up to over time. */
import { ask, q } from "./asking";
import type { Page, Shapes } from "./shapes";
import type { Stretch } from "./watches";

/** What is looked at: a stretch, and an environment (empty: the project's own). */
export interface Look extends Stretch {
  environment: string;
}

const looked = ({ from, to, environment }: Look): string =>
  `from=${q(from)}&to=${q(to)}${environment ? `&environment=${q(environment)}` : ""}`;

/** The other side of what is compared; what is not said is as it is on the first. */
export interface Against extends Look {
  build: string;
  againstBuild: string;
  runner: string;
  againstRunner: string;
  againstFrom: string;
  againstTo: string;
  againstEnvironment: string;
}

export const trendsApi = {
  today: (project: string, since: string) =>
    ask<Shapes["Today"]>(`/today?project=${q(project)}&since=${q(since)}`),
  lookedAtToday: (project: string) => ask<unknown>(`/today/seen?project=${q(project)}`, { method: "PUT" }),
  trendPlaces: (project: string) => ask<Page<Shapes["TrendPlace"]>>(`/trends/places?project=${q(project)}`),
  moved: (project: string, look: Look) =>
    ask<Shapes["Moved"]>(`/trends/moved?project=${q(project)}&${looked(look)}`),
  suitesOverTime: (project: string, look: Look) =>
    ask<Shapes["SuitesOverTime"]>(`/trends/suites?project=${q(project)}&${looked(look)}`),
  trust: (project: string, look: Look) =>
    ask<Shapes["Trust"]>(`/trends/trust?project=${q(project)}&${looked(look)}`),
  followed: (project: string, look: Look, kind: string, find: string) =>
    ask<Page<Shapes["Followed"]>>(
      `/trends/series?project=${q(project)}&${looked(look)}&kind=${q(kind)}&find=${q(find)}`,
    ),
  series: (id: string, look: Look) => ask<Shapes["Series"]>(`/trends/series/${q(id)}?${looked(look)}`),
  /** Where a table of what happened is saved from. */
  tableFile: (project: string, look: Look, what: string, form: string) =>
    `/api/v1/trends/table?project=${q(project)}&${looked(look)}&what=${what}&form=${form}`,
  noticing: (id: string) => ask<Shapes["Noticing"]>(`/cases/${q(id)}/noticing`),
  checkRecords: (id: string, environment: string) =>
    ask<Page<Shapes["CheckRecord"]>>(`/cases/${q(id)}/checks?environment=${q(environment)}`),
  spent: (project: string, look: Look, suite: string) =>
    ask<Shapes["Spent"]>(
      `/trends/spent?project=${q(project)}&${looked(look)}${suite ? `&suite=${q(suite)}` : ""}`,
    ),
  cycles: (project: string, look: Look, suite: string) =>
    ask<Page<Shapes["Cycle"]>>(
      `/trends/cycles?project=${q(project)}&${looked(look)}&limit=500${suite ? `&suite=${q(suite)}` : ""}`,
    ),
  comparedTimes: (project: string, against: Against) => {
    const { from, to, environment, ...rest } = against;
    const more = Object.entries(rest).filter(([, value]) => value);
    return ask<Shapes["ComparedTimes"]>(
      `/trends/compared?project=${q(project)}&${looked(against)}${more.map(([name, value]) => `&${name}=${q(value)}`).join("")}`,
    );
  },
};
