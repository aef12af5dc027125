import { useQuery } from "@tanstack/react-query";
import type { SharedSteps } from "../../../api";
import { queries } from "../../../api/queries";
import { useProject } from "../../../state/project";

/** The shared steps of the project. */
export function useSharedSteps(): SharedSteps[] {
  const project = useProject();
  const found = useQuery(queries.shared(project?.id));
  return found.data?.items ?? [];
}
