import { useQuery } from "@tanstack/react-query";
import type { Suite } from "../../api";
import { queries } from "../../api/queries";
import { useProject } from "../../state/project";

/** A suite of the chosen project with its cases; undefined while it is not known. */
export function useSuite(id: string): Suite | undefined {
  const project = useProject();
  const suites = useQuery(queries.suites(project?.id));
  return suites.data?.items.find((item) => item.id === id);
}
