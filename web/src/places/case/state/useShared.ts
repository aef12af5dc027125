import { useQuery } from "@tanstack/react-query";
import { api, type SharedSteps } from "../../../api";
import { queryKeys } from "../../../api/keys";
import { useProject } from "../../../state/project";

/** The shared steps of the project. */
export function useSharedSteps(): SharedSteps[] {
  const project = useProject();
  const found = useQuery({
    queryKey: queryKeys.shared(project?.id),
    queryFn: () => api.sharedSteps(project?.id as string),
    enabled: Boolean(project),
  });
  return found.data?.items ?? [];
}
