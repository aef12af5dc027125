import { useQuery } from "@tanstack/react-query";
import { queries } from "../../api/queries";
import type { Against } from "../../api/trends";
import { capital, dayOf } from "../../base/format";
import { dayIn } from "../../parts/overTime/time";
import { DAY, useLook } from "./useLook";

export const WAYS = [
  "the time before",
  "two times",
  "two builds",
  "two environments",
  "two runners",
] as const;
export type Ways = (typeof WAYS)[number];

/** Two of the same, each named in the address. */
export interface Pair {
  /** What stands before the first in the sentence. */
  what: string;
  word: string;
  /** The older first. */
  names: string[];
  before: string;
  after: string;
  /** The parameters of the address. */
  against: string;
  own: string;
  /** What is said where there are no two. */
  only: string;
}

const DAYS = ["beforeFrom", "beforeTo", "afterFrom", "afterTo"] as const;
type Days = Record<(typeof DAYS)[number], string>;
const PARAMETERS = [
  "compare",
  "build",
  "againstBuild",
  "runner",
  "againstRunner",
  "againstEnvironment",
  ...DAYS,
];

/** What is held against what, kept in the address. */
export function useAgainst() {
  const looking = useLook();
  const { project, look, search, environment, ranAgainst } = looking;
  const way = WAYS.find((one) => one === search.get("compare")) ?? "the time before";
  const cycles = useQuery(queries.cycles(project?.id, look, "")).data?.items ?? [];
  const said = (name: string) => search.get(name) ?? "";
  const pairOf = (what: string, word: string, names: string[], own: string, only: string): Pair => {
    const against = `against${capital(own)}`;
    const after = said(own) || (names.at(-1) ?? "");
    const before = said(against) || (names.findLast((one) => one !== after) ?? "");
    return { what, word, names, before, after, against, own, only };
  };
  const builds = [...new Set(cycles.map((one) => one.build).filter(Boolean))].reverse();
  const runners = [...new Set(cycles.map((one) => one.runner).filter(Boolean))].sort(byNumber);
  const pairs: Partial<Record<Ways, Pair>> = {
    "two builds": pairOf(
      "Build",
      "build",
      builds,
      "build",
      `There is only ${builds[0] ? `build ${builds[0]}` : "one build"} in this stretch.`,
    ),
    "two runners": pairOf(
      "What",
      "runner",
      runners,
      "runner",
      `All runs of this stretch were carried out by ${runners[0] ?? "one runner"}.`,
    ),
    "two environments": pairOf(
      "",
      "environment",
      [...ranAgainst.filter((one) => one !== environment), environment].filter(Boolean),
      "environment",
      "Runs have gone to one environment only.",
    ),
  };
  const pair = pairs[way];
  const days = daysIn(search, look.from, look.to);
  const of = (name: Ways, value = "") => (way === name ? value : "");
  const two = way === "two times";
  const against: Against = {
    from: two ? begun(days.afterFrom) : look.from,
    to: two ? ended(days.afterTo) : look.to,
    environment: of("two environments", pair?.after) || look.environment,
    build: of("two builds", pair?.after),
    againstBuild: of("two builds", pair?.before),
    runner: of("two runners", pair?.after),
    againstRunner: of("two runners", pair?.before),
    againstEnvironment: of("two environments", pair?.before),
    againstFrom: two ? begun(days.beforeFrom) : way === "the time before" ? "" : look.from,
    againstTo: two ? ended(days.beforeTo) : way === "the time before" ? "" : look.to,
  };
  const kept = new URLSearchParams(search);
  for (const name of PARAMETERS) kept.delete(name);
  return {
    ...looking,
    way,
    pair,
    days,
    against,
    behind: kept.size ? `?${kept}` : "",
    /** Both sides are known. */
    ready: way === "the time before" || two || Boolean(pair?.before && pair?.after),
  };
}

/** "runner 2" before "runner 10". */
const byNumber = new Intl.Collator("en", { numeric: true }).compare;

/** The first and last days of both sides: as they were chosen, else the halves of what is looked at. */
function daysIn(search: URLSearchParams, from: string, to: string): Days {
  const [begin, end] = [Date.parse(from), Date.parse(to)];
  const middle = (begin + end) / 2;
  const usual: Days = {
    beforeFrom: dayOf(begin),
    beforeTo: dayOf(middle - DAY),
    afterFrom: dayOf(middle),
    afterTo: dayOf(end),
  };
  return Object.fromEntries(DAYS.map((name) => [name, dayIn(search, name) ?? usual[name]])) as Days;
}

const begun = (day: string): string => new Date(`${day}T00:00`).toISOString();

function ended(day: string): string {
  const at = new Date(`${day}T00:00`);
  at.setDate(at.getDate() + 1);
  return at.toISOString();
}

export type ChosenAgainst = ReturnType<typeof useAgainst>;
