import { useQuery } from "@tanstack/react-query";
import { api, type Suite } from "../../api";
import { queryKeys } from "../../api/keys";
import { useProject } from "../../state/project";

/** A suite of the chosen project with its cases; undefined while it is not known. */
export function useSuite(id: string): Suite | undefined {
  const project = useProject();
  const suites = useQuery({
    queryKey: queryKeys.suites(project?.id),
    queryFn: () => api.suites(project?.id as string),
    enabled: Boolean(project),
  });
  return suites.data?.items.find((item) => item.id === id);
}
