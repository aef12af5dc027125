import { useQuery } from "@tanstack/react-query";
import { useCallback, useEffect, useRef, useState } from "react";
import { api, type Environment, type NewRun, type Run, type RunEvent } from "../api";
import { useMay } from "../api/may";
import { queries } from "../api/queries";
import { isAway } from "../api/retrying";
import { useStale } from "../api/stale";
import { listed } from "../base/format";
import { useAskChanges } from "../parts/Changes";
import { useSay } from "../parts/Said";
import { useEvents } from "./events";
import { useProject } from "./project";

const ASK_AGAIN_MS = 2000;

/** A run's report, kept up to date by its events while it goes on. */
export function useRun(id: string | undefined) {
  const project = useProject();
  const tell = useStale();
  const pending = useRef(0);
  const report = useQuery({
    ...queries.run(id),
    refetchInterval: ({ state }) =>
      state.data?.state === "finished" || (state.error && !isAway(state.error)) ? false : ASK_AGAIN_MS,
  });
  const listener = useCallback(
    (event: RunEvent) => {
      if (event.run !== id || pending.current) return;
      pending.current = window.setTimeout(() => {
        pending.current = 0;
        void tell("run", id);
      }, 60);
    },
    [id, tell],
  );
  useEvents(project?.id, listener);
  useEffect(() => () => window.clearTimeout(pending.current), []);
  return report;
}

export function useEnvironments() {
  const project = useProject();
  return useQuery(queries.environments(project?.id));
}

/** Where runs go from this page: the project's usual environment, until another is chosen. */
export function useEnvironment(): [Environment | undefined, (name: string) => void, Environment[]] {
  const all = (useEnvironments().data?.items ?? []).filter(({ mayRun }) => mayRun);
  const [name, setName] = useState<string>();
  const usual = all.find((environment) => environment.usual) ?? all[0];
  return [all.find((environment) => environment.name === name) ?? usual, setName, all];
}

/** Where runs of several cases go from this page: to one environment, or to several side by side. */
export function useWhere(): [Environment[], (names: string[]) => void, Environment[]] {
  const all = (useEnvironments().data?.items ?? []).filter(({ mayRun }) => mayRun);
  const [names, setNames] = useState<string[]>([]);
  const usual = all.find((environment) => environment.usual) ?? all[0];
  const chosen = all.filter(({ name }) => names.includes(name));
  return [chosen.length ? chosen : usual ? [usual] : [], setNames, all];
}

/** Starts runs; where an environment is guarded, each step that may change something there is asked about first. */
export function useStart(): (
  run: Omit<NewRun, "project">,
  where?: Environment | Environment[],
) => Promise<Run | undefined> {
  const project = useProject();
  const say = useSay();
  const ask = useAskChanges();
  const may = useMay("run");
  return useCallback(
    async (run, where = []) => {
      if (!project) return undefined;
      if (!may) {
        say("You may not run anything in this project.");
        return undefined;
      }
      const environments = Array.isArray(where) ? where : [where];
      const names = environments.map(({ name }) => name);
      const there = names.length > 1 ? { environments: names } : { environment: names[0] };
      const asked = { ...run, project: project.id, ...there };
      const guarded = environments.filter((environment) => environment.guarded);
      try {
        const changing = guarded.length ? (await api.changingSteps(asked)).items : [];
        const changes = changing.length ? await ask(listed(guarded.map(({ name }) => name)), changing) : [];
        return changes && (await api.start(guarded.length ? { ...asked, changes } : asked));
      } catch (problem) {
        say(problem instanceof Error ? problem.message : String(problem));
        return undefined;
      }
    },
    [project, ask, say, may],
  );
}
