import { useQuery } from "@tanstack/react-query";
import { useCallback, useEffect, useRef, useState } from "react";
import { api, type Environment, type NewRun, type Run, type RunEvent } from "../api";
import { queries } from "../api/queries";
import { isAway } from "../api/retrying";
import { useStale } from "../api/stale";
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
  const all = useEnvironments().data?.items ?? [];
  const [name, setName] = useState<string>();
  const usual = all.find((environment) => environment.usual) ?? all[0];
  return [all.find((environment) => environment.name === name) ?? usual, setName, all];
}

/** Starts runs; where the environment is guarded, each step that may change something there is asked about first. */
export function useStart(): (
  run: Omit<NewRun, "project">,
  environment?: Environment,
) => Promise<Run | undefined> {
  const project = useProject();
  const say = useSay();
  const ask = useAskChanges();
  return useCallback(
    async (run, environment) => {
      if (!project) return undefined;
      const asked = { ...run, project: project.id, environment: environment?.name };
      try {
        const changing = environment?.guarded ? (await api.changingSteps(asked)).items : [];
        const changes = changing.length ? await ask(environment?.name ?? "", changing) : [];
        return changes && (await api.start(environment?.guarded ? { ...asked, changes } : asked));
      } catch (problem) {
        say(problem instanceof Error ? problem.message : String(problem));
        return undefined;
      }
    },
    [project, ask, say],
  );
}
