import { useQuery } from "@tanstack/react-query";
import { queries } from "../../api/queries";
import type { Against } from "../../api/trends";
import { useLook } from "./useLook";

export const WAYS = {
  "the time before": "time",
  "two builds": "build",
  "two environments": "environment",
} as const;
export type Ways = keyof typeof WAYS;

/** What is held against what, kept in the address. */
export function useAgainst() {
  const looking = useLook();
  const { project, look, search, environment, environments } = looking;
  const way = (Object.keys(WAYS) as Ways[]).find((one) => one === search.get("compare")) ?? "the time before";
  const cycles = useQuery(queries.cycles(project?.id, look, ""));
  const builds = [...new Set((cycles.data?.items ?? []).map((one) => one.build).filter(Boolean))];
  const build = search.get("build") ?? builds[0] ?? "";
  const againstBuild = search.get("againstBuild") ?? builds.find((one) => one !== build) ?? "";
  const other =
    search.get("againstEnvironment") ??
    environments.find((one) => one !== (environment || environments[0])) ??
    "";
  const against: Against = {
    ...look,
    build: way === "two builds" ? build : "",
    againstBuild: way === "two builds" ? againstBuild : "",
    againstFrom: way === "the time before" ? "" : look.from,
    againstTo: way === "the time before" ? "" : look.to,
    againstEnvironment: way === "two environments" ? other : "",
  };
  const kept = new URLSearchParams(search);
  for (const name of ["compare", "build", "againstBuild", "againstEnvironment"]) kept.delete(name);
  return {
    ...looking,
    way,
    against,
    builds,
    behind: kept.size ? `?${kept}` : "",
    /** Both sides are known. */
    ready:
      way === "the time before" || (way === "two builds" ? Boolean(build && againstBuild) : Boolean(other)),
  };
}

export type ChosenAgainst = ReturnType<typeof useAgainst>;
