import { useQuery } from "@tanstack/react-query";
import { useCallback, useMemo, useState } from "react";
import { useSearchParams } from "react-router";
import { queries } from "../../api/queries";
import type { Look } from "../../api/trends";
import { type Span, spanIn } from "../../parts/overTime/time";
import { useProject } from "../../state/project";

export const DAY = 86_400_000;
/** What can be looked at up to now, by how one says it. */
export const OVER = { "7 days": 7, "30 days": 30, "90 days": 90, "a year": 365 } as const;
export type Over = keyof typeof OVER;
const USUAL: Over = "30 days";
const MINUTE = 60_000;

/** What every page of Trends looks at, kept in its address: so long up to now, or from one day to another, and against which environment. */
export function useLook() {
  const project = useProject();
  const [search, setSearch] = useSearchParams();
  const [now] = useState(() => Math.ceil(Date.now() / MINUTE) * MINUTE);
  const places = useQuery(queries.trendPlaces(project?.id));
  const said = search.get("over") ?? "";
  const over = Object.hasOwn(OVER, said) ? (said as Over) : USUAL;
  const fixed = spanIn(search);
  const { begin, end } = fixed ?? { begin: now - OVER[over] * DAY, end: now };
  const span: Span = useMemo(() => ({ begin, end }), [begin, end]);
  const environment = search.get("environment") ?? "";
  const look: Look = useMemo(
    () => ({ from: new Date(begin).toISOString(), to: new Date(end).toISOString(), environment }),
    [begin, end, environment],
  );
  const put = useCallback(
    (change: Record<string, string>, without: string[] = []) =>
      setSearch((before) => {
        const next = new URLSearchParams(before);
        for (const name of without) next.delete(name);
        for (const [name, value] of Object.entries(change))
          if (value) next.set(name, value);
          else next.delete(name);
        return next;
      }),
    [setSearch],
  );
  const there = places.data?.items ?? [];
  const ranAgainst = there.filter((place) => place.runs).map((place) => place.environment);
  const environments = there.map((place) => place.environment);
  return {
    project,
    span,
    look,
    /** How long up to now it is; empty where it is from one day to another. */
    over: fixed ? "" : over,
    /** That of the address, else the one that is meant without; empty until that is known. */
    environment: environment || (environments[0] ?? ""),
    environments,
    /** Those that cases ran against, and not watches alone. */
    ranAgainst,
    /** The environment, if watches alone go there; else empty. */
    watchedOnly: ranAgainst.includes(environment) || !environments.includes(environment) ? "" : environment,
    search,
    put,
  };
}

export type Looking = ReturnType<typeof useLook>;
